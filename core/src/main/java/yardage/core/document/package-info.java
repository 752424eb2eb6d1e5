/**
 * Documents as people write them: YAML whose every value knows its place, and the problems found in
 * them.
 *
 * <p>{@link yardage.core.document.DocumentValue} is a value with its place, {@link
 * yardage.core.document.DocumentReader} takes values out of one and gathers {@link
 * yardage.core.document.Problem}s instead of stopping at the first. Knows nothing of feeds or
 * pipelines.
 */
package yardage.core.document;
