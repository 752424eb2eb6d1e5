/**
 * What all formats of records share: cutting a stream into chunks of whole records, one after the
 * other, and reading the fields of a chunk into typed columns, many chunks at once.
 *
 * <p>Read {@link yardage.core.format.record.RecordFormat} first: its {@link
 * yardage.core.format.record.Chunker} is used under a lock and does as little as it can; its {@link
 * yardage.core.format.record.RecordParser}s do the work, one per thread. They note where fields lie
 * ({@link yardage.core.format.record.FieldSpans}), and {@link
 * yardage.core.format.record.FieldParser} reads one field of all records at a time, as its {@link
 * yardage.core.format.record.FieldRule} says. A record of a wrong shape is given whole to {@link
 * yardage.core.format.record.RecordOutput}; one with wrong values comes among its batch, with the
 * {@link yardage.core.format.record.FieldFailures}.
 *
 * <p>Formats live in packages of their own beside this one. What happens to a failure, and which
 * files there are, is not decided here.
 */
package yardage.core.format.record;
