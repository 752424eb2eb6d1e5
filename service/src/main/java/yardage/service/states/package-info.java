/**
 * Removing, bringing back, pausing, resuming and renaming pipelines and feeds, and what must follow
 * elsewhere: ledgers, schedules, documents that name them. Their texts are in {@code documents},
 * and what they mean is in {@code pipelines} and {@code feeds}.
 */
package yardage.service.states;
