/**
 * What all file formats share: the error for a file that cannot be read, opening by content
 * whatever the compression, and text in other encodings than UTF-8.
 *
 * <p>Each format lives in a package of its own below this one. Formats turn bytes into batches and
 * back; they know columns, and the executor's memory and cancellation, but neither feeds nor
 * tables.
 */
package yardage.core.format;
