/**
 * Tests of pipelines: kept as documents, run against a pipeline as it is kept or as somebody writes
 * it. How a test runs is in {@code core.pipeline.tests}.
 */
package yardage.service.tests;
