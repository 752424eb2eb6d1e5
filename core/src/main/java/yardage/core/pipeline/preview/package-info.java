/**
 * Rows of any step before anything runs: over the first rows of each source, or over all of them.
 * Nothing is written. What a run does is in {@code pipeline.run}; why a join finds what it finds is
 * in {@code pipeline.insight}.
 */
package yardage.core.pipeline.preview;
