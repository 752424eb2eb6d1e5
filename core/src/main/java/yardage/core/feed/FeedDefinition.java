package yardage.core.feed;

import java.io.IOException;
import java.io.InputStream;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.function.Predicate;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.format.Decompression;
import yardage.core.format.TextEncoding;
import yardage.core.format.record.FieldRule;
import yardage.core.format.text.EditedLines;
import yardage.core.format.text.LineEdits;

/**
 * A feed: where its files are, how they are written, which columns they have, and what happens to
 * whatever does not fit.
 *
 * @param connection the folder that the files are in, by its name; the inbox when there is none
 * @param files patterns below that folder, with {@code * ** ? {a,b}}
 * @param entries patterns of the entries of an archive that are taken; none takes all
 * @param edits what is done to lines before records are read
 * @param trailer what a file's last line says of it
 * @param takesNoRows whether a file in which the place of the rows is nowhere counts as one without
 *     rows, rather than as one that has changed
 * @param damaged what happens to a file that cannot be read to its end
 */
public record FeedDefinition(
    String name,
    String about,
    Optional<String> connection,
    List<String> files,
    FeedFormat format,
    TextEncoding encoding,
    List<FeedColumn> columns,
    IntakePolicy intake,
    SetAsideLimit limit,
    ChangePolicy change,
    DamagedFiles damaged,
    Decompression.Limit inflateLimit,
    List<String> entries,
    boolean takesNoRows,
    LineEdits edits,
    Optional<Trailer> trailer) {

  public FeedDefinition {
    files = List.copyOf(files);
    columns = List.copyOf(columns);
    entries = List.copyOf(entries);
  }

  /**
   * What a file holds, as UTF-8 and with the lines alone that records may be in.
   *
   * @param label the file, for messages
   */
  public InputStream text(String label, InputStream in) throws IOException {
    InputStream utf8 = encoding.utf8(in);
    return edits.isNone() ? utf8 : new EditedLines(label, utf8, edits);
  }

  /** Which entries of an archive are the feed's, by their names. */
  Predicate<String> wantedEntries() {
    List<Glob> globs = entries.stream().map(Glob::compile).toList();
    return name -> globs.isEmpty() || globs.stream().anyMatch(g -> g.matches(name));
  }

  /** The same feed with other columns. */
  public FeedDefinition withColumns(List<FeedColumn> others) {
    return new FeedDefinition(
        name,
        about,
        connection,
        files,
        format,
        encoding,
        others,
        intake,
        limit,
        change,
        damaged,
        inflateLimit,
        entries,
        takesNoRows,
        edits,
        trailer);
  }

  /** The columns that a reader of this feed sees. */
  public Schema schema() {
    List<Schema.Field> fields = new ArrayList<>(columns.stream().map(FeedColumn::field).toList());
    if (keepsStrays()) {
      fields.add(new Schema.Field(ChangePolicy.STRAYS_COLUMN, Type.VARCHAR, true));
    }
    return new Schema(fields);
  }

  public boolean keepsStrays() {
    return change == ChangePolicy.STRAYS;
  }

  boolean keepReadable() {
    return damaged == DamagedFiles.KEEP_READABLE;
  }

  /** The columns that are read out of records, in their order. */
  public List<FeedColumn> fields() {
    return columns.stream().filter(FeedColumn::isField).toList();
  }

  public List<FieldRule> rules() {
    return fields().stream().map(FeedColumn::rule).toList();
  }

  /** A document read: the definition if it is sound, and what was found. */
  public record Parsed(Optional<FeedDefinition> feed, List<Problem> problems) {}

  public static Parsed parse(String text) {
    List<Problem> problems = new ArrayList<>();
    try {
      if (!(DocumentValue.parse(text) instanceof MapValue map)) {
        problems.add(
            error(
                "wrong-shape",
                Place.START,
                "A feed's document must hold named values, starting with feed: its-name"));
        return new Parsed(Optional.empty(), problems);
      }
      FeedDefinition feed =
          new FeedDocument(new DocumentReader(map, "", "", problems), problems).read();
      if (problems.isEmpty()) {
        RowChecks.problems(feed, problems);
      }
      return new Parsed(problems.isEmpty() ? Optional.of(feed) : Optional.empty(), problems);
    } catch (DocumentValue.MalformedException e) {
      problems.add(error("not-yaml", e.place(), e.getMessage()));
      return new Parsed(Optional.empty(), problems);
    }
  }

  private static Problem error(String code, Place place, String message) {
    return new Problem(Problem.Severity.ERROR, code, "", "", place, message, Optional.empty());
  }
}
