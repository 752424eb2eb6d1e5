/**
 * The data lake: files in storage, tables in the open Apache Iceberg format (version 2), and how a
 * run publishes.
 *
 * <p>Read {@link yardage.core.lake.Lake}, {@link yardage.core.lake.LakeTable}, {@link
 * yardage.core.lake.TableWriter}, {@link yardage.core.lake.Staging} and {@link
 * yardage.core.lake.Publication}. A writer makes data files, noted in a staging log before they
 * exist. A publication turns them into new table metadata and hands over pointer changes, which the
 * owner of the pointers swaps in one transaction; only then are they visible. Who keeps the
 * pointers is not known here: see {@link yardage.core.lake.PointerStore}. Table metadata is read
 * and written by the format's library, data by {@code format.parquet}.
 */
package yardage.core.lake;
