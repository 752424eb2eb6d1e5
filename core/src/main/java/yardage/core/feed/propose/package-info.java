/**
 * Proposes feeds from sample files: the format, the columns and their types, each choice with its
 * evidence. Nothing is guessed silently; what is mixed says so and stays text.
 *
 * <p>Read {@link yardage.core.feed.propose.Proposals} (files to feeds), then {@link
 * yardage.core.feed.propose.Proposal} (what comes out). {@link
 * yardage.core.feed.propose.ColumnGuess} decides on a column's type with the very parser that will
 * read it; {@link yardage.core.feed.propose.DelimitedGuess}, {@link
 * yardage.core.feed.propose.JsonGuess} and {@link yardage.core.feed.propose.XmlGuess} know how
 * files look.
 */
package yardage.core.feed.propose;
