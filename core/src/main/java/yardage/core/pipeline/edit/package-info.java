/**
 * Changes to a pipeline's document that are more than typing: steps that are put in, taken out and
 * renamed. Each gives a text; comments, layout and whatever is not about the change stay as they
 * were. What a document means is in {@code pipeline.compile}.
 */
package yardage.core.pipeline.edit;
