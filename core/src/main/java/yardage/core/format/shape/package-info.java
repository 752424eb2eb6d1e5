/**
 * Nested records on their way into columns: a tree of slots in the form of the contract's columns,
 * filled value by value by the readers of nested formats (JSON, XML).
 *
 * <p>{@link yardage.core.format.shape.RecordShape} holds the slots of all columns. Each {@link
 * yardage.core.format.shape.Slot} is a leaf, which notes where its values' texts lie, or has slots
 * of its own. When a batch is full, the texts of each leaf are read all at once, as flat formats
 * do.
 */
package yardage.core.format.shape;
