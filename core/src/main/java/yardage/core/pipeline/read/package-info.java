/**
 * Documents of pipelines and parts as values: {@link yardage.core.pipeline.read.PipelineDocument}
 * is what the text says, {@link yardage.core.pipeline.read.Verb} what a step does. Feeds, tables
 * and columns are not known here: whether a step fits its input is for {@code compile} to say.
 */
package yardage.core.pipeline.read;
