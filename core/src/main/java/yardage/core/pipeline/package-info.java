/**
 * Pipelines: the document, the check, the plan and the run.
 *
 * <p>In reading order: {@link yardage.core.pipeline.PipelineDocument} is what the text says, {@link
 * yardage.core.pipeline.Verb} what a step does, {@link yardage.core.pipeline.PipelineCheck} finds
 * all problems and every step's columns without running, {@link yardage.core.pipeline.StepCompiler}
 * turns a step into algebra, {@link yardage.core.pipeline.PipelineRun} executes, balances the books
 * and publishes. What feeds and tables there are comes through {@link
 * yardage.core.pipeline.Catalog}; who keeps documents, queues runs or draws them is not known here.
 */
package yardage.core.pipeline;
