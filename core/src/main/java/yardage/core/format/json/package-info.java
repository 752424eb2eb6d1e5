/**
 * JSON (RFC 8259): one value a line, the elements of an array, values one after the other, or the
 * elements that a path leads to.
 *
 * <p>{@link yardage.core.format.json.JsonFormat} is the way in. {@link
 * yardage.core.format.json.JsonText} knows the grammar; records are read with it once, straight
 * into the slots of {@link yardage.core.format.shape.RecordShape}. What no column wants is checked
 * and skipped without recursion, however deep it is.
 */
package yardage.core.format.json;
