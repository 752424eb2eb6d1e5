/**
 * The executor: physical operators, the parallel driver, memory and tallies.
 *
 * <p>{@link yardage.core.exec.Executor} has plans cut into stages, and {@link
 * yardage.core.exec.StageGraph} runs each as soon as those that it needs are over. A stage is some
 * scans, operators that work in place, and one sink that gathers (a hash build, an aggregate, a
 * sort, a writer). {@link yardage.core.exec.Driver} runs a stage: workers pull splits until none is
 * left. Sinks reserve what they hold from a {@link yardage.core.exec.MemoryPool}, and hand them to
 * an {@link yardage.core.exec.Exchange} when it is refused, in memory as frames or on disk in
 * {@link yardage.core.exec.Scratch}; every operator reports rows to the {@link
 * yardage.core.exec.StepTally} of the step it belongs to. An operator is bound once per worker and
 * pipeline and then used by that thread only; a sink is shared, and hands each worker a consumer of
 * its own. {@link yardage.core.exec.Endpoints} open what a stage reads and writes outside. Depends
 * on {@code column}, {@code expr} and {@code plan}; knows nothing of files, tables or SQL.
 */
package yardage.core.exec;
