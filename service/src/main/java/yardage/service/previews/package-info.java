/**
 * Rows of a step before anything runs, for whoever designs a pipeline. The engine's part is {@code
 * core.pipeline.preview}; here are the call, and the samples that are kept from one call to the
 * next. Runs are in {@code runs}.
 */
package yardage.service.previews;
