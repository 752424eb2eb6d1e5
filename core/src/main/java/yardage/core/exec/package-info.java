/**
 * The executor: physical operators, the parallel driver, memory and tallies.
 *
 * <p>A {@link yardage.core.exec.PhysicalNode} tree is cut by {@link yardage.core.exec.Executor}
 * into stages: a stage is some scans, operators that work in place, and one sink that gathers (a
 * hash build, an aggregate, a sort, a writer). {@link yardage.core.exec.Driver} runs a stage:
 * workers pull splits until none is left. Sinks reserve what they hold from a {@link
 * yardage.core.exec.MemoryPool}, and hand them to an {@link yardage.core.exec.Exchange} when it is
 * refused, in memory as frames or on disk in {@link yardage.core.exec.Scratch}; every operator
 * reports rows to the {@link yardage.core.exec.StepTally} of the step it belongs to. An operator is
 * bound once per worker and pipeline and then used by that thread only; a sink is shared, and hands
 * each worker a consumer of its own. Depends on {@code column} and {@code expr}; knows nothing of
 * files, tables or SQL.
 */
package yardage.core.exec;
