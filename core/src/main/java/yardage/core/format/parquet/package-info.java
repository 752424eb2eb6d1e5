/**
 * Parquet data files, written and read a column at a time.
 *
 * <p>The library's file layer writes and reads headers, footers and indexes; what is in the pages
 * is ours: {@link yardage.core.format.parquet.ChunkEncoder} turns a column into pages, {@link
 * yardage.core.format.parquet.ChunkDecoder} turns pages into columns, both in loops over primitive
 * arrays. {@link yardage.core.format.parquet.DataFileWriter} and {@link
 * yardage.core.format.parquet.DataFileReader} put them together. A chunk is one column of a row
 * group:
 *
 * <pre>
 * chunk          = [dictionary-page] data-page*
 * dictionary-page = plain values, zstd
 * data-page (V1) = [levels] values, zstd
 * levels         = byte count (4, little-endian) run*             only for optional columns, bit width 1, 1 is a value
 * values         = plain | bit width (1 byte) run*                 plain, or codes into the dictionary
 * run            = varint(count &lt;&lt; 1) value | varint(groups &lt;&lt; 1 | 1) groups of 8 packed values
 * plain          = little-endian int32, int64, double | length (4) bytes | bits
 * </pre>
 *
 * Follows the Apache Parquet format specification. Columns are flat; nothing nested is written or
 * read yet.
 */
package yardage.core.format.parquet;
