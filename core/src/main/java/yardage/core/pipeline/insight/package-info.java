/**
 * Answers about documents and runs: what became of a row, what a join does to its rows, which rows
 * are duplicates, how two states of a table differ. Nothing here is needed for a run.
 */
package yardage.core.pipeline.insight;
