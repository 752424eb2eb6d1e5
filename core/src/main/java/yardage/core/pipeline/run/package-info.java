/**
 * Runs of pipelines: {@link yardage.core.pipeline.run.PipelineRun} plans, executes, balances the
 * books and publishes. How stages are run is {@code exec}'s and {@code task}'s; when runs begin and
 * who is told is for whoever calls.
 */
package yardage.core.pipeline.run;
