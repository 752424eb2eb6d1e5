/**
 * Feeds: named sources of raw files, the columns they must have, and what becomes of rows that do
 * not fit.
 *
 * <p>Read {@link yardage.core.feed.FeedDefinition} (the document), {@link
 * yardage.core.feed.FileDiscovery} (which files there are), {@link yardage.core.feed.FeedScan}
 * (reading them, as a source of the executor) and {@link yardage.core.feed.SetAsideWriter} (rows
 * that broke the contract). Which files were taken in before is not known here: callers pass the
 * files to read and get an {@link yardage.core.feed.IntakeFile} for each that was.
 */
package yardage.core.feed;
