/**
 * Tests of pipelines: given rows for what steps read, and the rows that are expected of steps. They
 * run in isolation: no file and no table is read. What a step gives over real rows is in {@code
 * pipeline.preview}.
 */
package yardage.core.pipeline.tests;
