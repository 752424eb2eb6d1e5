/**
 * What there is to know about steps without a document: their verbs, fields, types, help and
 * examples. The JSON Schema, the completion, the reference page and the forms of the console are
 * all made from this one description; what a step does is in {@code pipeline}.
 */
package yardage.core.pipeline.describe;
