/**
 * Runs: the queue in MariaDB, the workers that claim from it, what a run looks like from outside
 * while it goes and afterwards.
 *
 * <p>{@link yardage.service.runs.RunQueue} claims and keeps the lease, {@link
 * yardage.service.runs.RunExecution} runs one, {@link yardage.service.runs.RunService} is what
 * other features call. A state changes only by a conditional update whose count is checked.
 */
package yardage.service.runs;
