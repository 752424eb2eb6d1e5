/**
 * Whole runs that publish nothing, for whoever waits for them: what a document would do to its
 * tables. The engine's part is {@code core.pipeline.preview}; runs that are kept are in {@code
 * runs}.
 */
package yardage.service.trials;
