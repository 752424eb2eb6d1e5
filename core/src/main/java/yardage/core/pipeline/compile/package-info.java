/**
 * Checks documents and turns steps into algebra: {@link
 * yardage.core.pipeline.compile.PipelineCheck} finds all problems and every step's columns without
 * running, {@link yardage.core.pipeline.compile.StepCompiler} has a compiler for each kind of step.
 * What feeds and tables there are comes through {@link yardage.core.pipeline.compile.Catalog}.
 * Nothing is read from feeds or tables here.
 */
package yardage.core.pipeline.compile;
