package yardage.core.pipeline.describe;

import static yardage.core.pipeline.describe.StepDescription.Kind.*;

import java.util.List;
import java.util.Optional;
import yardage.core.pipeline.describe.StepDescription.Field;
import yardage.core.pipeline.describe.StepDescription.Inputs;

/** All verbs, in the order in which people look for them. */
public final class StepCatalog {
  private StepCatalog() {}

  private static final Field BY_GROUP =
      Field.of("by", COLUMNS, "the columns that make a group; without them all rows are one");

  private static final List<StepDescription> ALL =
      List.of(
          fields(
              "read",
              "Rows of a feed's files, or of a table.",
              Inputs.NONE,
              List.of(
                  "{feed: roll-ledger}",
                  "{table: mill.looms}",
                  "{table: mill.looms, as-of: 2026-03-01 12:00}"),
              Field.of("feed", FEED, "the feed whose files are read"),
              Field.of("table", TABLE, "the table that is read"),
              Field.of(
                  "as-of",
                  TEXT,
                  "reads the table as it was: a snapshot's number, or a date or time in UTC")),
          fields(
              "shape",
              "Cleans texts, renames, splits and combines, casts, sets, drops and orders columns, in this order.",
              Inputs.ONE,
              List.of(
                  "{trim: {of: text}, rename: {len_m: metres}, set: {woven_on: cast(woven_at as date)}, drop: [operator_note]}",
                  "{collapse: [name], cast: {metres: \"decimal(9, 2)\"}, if-wrong: set-aside}",
                  "{split: {loom_code: {by: \"-\", into: [kind, number]}}, combine: {place: {columns: [mill, hall], with: \", \"}}}",
                  "{rename: {\"src_*\": \"*\"}, drop: {like: [\"tmp_*\"]}, order: [roll_id]}"),
              Field.of("trim", COLUMN_CHOICE, "texts that lose the blanks at their ends"),
              Field.of(
                  "collapse",
                  COLUMN_CHOICE,
                  "texts whose runs of blanks, tabs and line ends become one blank, with none at the ends"),
              Field.of("upper", COLUMN_CHOICE, "texts that go into upper case"),
              Field.of("lower", COLUMN_CHOICE, "texts that go into lower case"),
              Field.of("cast", TYPES, "columns that get another type"),
              Field.of("if-wrong", WORD, "what happens to a value that does not cast")
                  .words("stop", "null", "set-aside")
                  .otherwise("stop"),
              Field.of(
                  "rename",
                  RENAMES,
                  "old names to new ones; both may have * for any run of characters"),
              Field.of(
                      "split",
                      NAMED_FIELDS,
                      "texts to cut into new columns, by the column; a missing part is null")
                  .holding(
                      Field.of("by", TEXT, "the separator").needed(),
                      Field.of("into", COLUMNS, "the new columns; the last one has what is left")
                          .needed()),
              Field.of(
                      "combine",
                      NAMED_FIELDS,
                      "new columns that are others put together as one text; nulls are skipped")
                  .holding(
                      Field.of("columns", COLUMNS, "the columns, in this order").needed(),
                      Field.of("with", TEXT, "what stands between them").otherwise("a blank")),
              Field.of(
                  "set", EXPRESSIONS, "columns computed from the row, new or in place of old ones"),
              Field.of("drop", COLUMN_CHOICE, "columns that go"),
              Field.of(
                  "order", COLUMNS, "columns that come first; the others follow as they were")),
          fields(
              "fill",
              "Puts values in the place of nulls, and counts them by column.",
              Inputs.ONE,
              List.of(
                  "{columns: {of: number}, with: 0}",
                  "{columns: [shade], empty: [\"n/a\", \"-\"], with: \"'undyed'\"}",
                  "{columns: [hall], from: before, by: [loom], order: [woven_at]}"),
              Field.of("columns", COLUMN_CHOICE, "the columns to fill").needed(),
              Field.of("empty", TEXTS, "texts that count as null too"),
              Field.of(
                  "with",
                  EXPRESSION,
                  "the value instead: a constant, another column, an expression"),
              Field.of(
                      "from",
                      WORD,
                      "or the group's value: the one before or behind in the order, the most common, the average")
                  .words("before", "behind", "common", "average"),
              BY_GROUP,
              Field.of("order", ORDER, "what before and behind mean")),
          value(
              "keep",
              "Keeps the rows for which a condition is true.",
              Field.of("", CONDITION, "an SQL condition"),
              "metres > 0 and hall is not null"),
          fields(
              "sample",
              "Keeps some rows by a hash of a key: the same keys in every input and every run.",
              Inputs.ONE,
              List.of("{share: 5%, by: [roll_id]}", "{rows: 1000, seed: 7}"),
              Field.of("share", SHARE, "the share of rows that stay"),
              Field.of("rows", COUNT, "or how many stay"),
              Field.of("by", COLUMNS, "the key that decides").otherwise("all columns"),
              Field.of("seed", COUNT, "another number gives another sample").otherwise("1")),
          new StepDescription(
              "stack",
              "All rows of several inputs, one input after the other.",
              Inputs.SEVERAL,
              Optional.empty(),
              List.of(
                  Field.of(
                          "match",
                          WORD,
                          "how columns of the inputs meet; differing types are widened, and what an input lacks is null")
                      .words("name", "position")
                      .otherwise("name"),
                  Field.of("source", NEW_COLUMN, "a column that names the input of each row")),
              List.of("{}", "{match: position, source: came_from}")),
          fields(
              "unnest",
              "Makes a row of each element of a list or entry of a map, or columns of a struct's fields.",
              Inputs.ONE,
              List.of(
                  "{column: defects, position: nr, keep-empty: true}",
                  "{column: loom, prefix: loom_}"),
              Field.of("column", COLUMN, "the nested column; its parts take its place").needed(),
              Field.of("keep-empty", TRUTH, "whether a row without elements stays, with nulls")
                  .otherwise("false"),
              Field.of("position", NEW_COLUMN, "a column that counts a row's elements from 1"),
              Field.of("prefix", TEXT, "what stands before the names of the new columns")),
          fields(
              "pivot",
              "Makes columns of a column's values, with an aggregate in each.",
              Inputs.ONE,
              List.of(
                  "{by: [woven_on], names: grade, values: [A, B, C], set: {metres: sum(metres)}}"),
              Field.of("by", COLUMNS, "the columns that stay, one row for each of their values"),
              Field.of("names", COLUMN, "the column whose values become columns").needed(),
              Field.of(
                      "values",
                      TEXTS,
                      "the values, written out so that the columns are known before a run")
                  .needed(),
              Field.of(
                      "set",
                      EXPRESSIONS,
                      "one aggregate for each; with several the columns are named value_name")
                  .needed()),
          fields(
              "unpivot",
              "Makes rows of columns: their name and their value.",
              Inputs.ONE,
              List.of("{columns: {like: [\"m_*\"]}, names: measure, values: metres}"),
              Field.of("columns", COLUMN_CHOICE, "the columns that become rows").needed(),
              Field.of("names", NEW_COLUMN, "a column for their names").needed(),
              Field.of("values", NEW_COLUMN, "a column for their values").needed(),
              Field.of("keep-nulls", TRUTH, "whether nulls give rows too").otherwise("false")),
          fields(
              "across",
              "Adds values of a row's group to the row: totals, ranks, running values.",
              Inputs.ONE,
              List.of(
                  "{by: [hall], set: {hall_metres: sum(metres)}}",
                  "{by: [loom], order: [woven_at], set: {nr: row_number(), so_far: sum(metres), before: lag(roll_id)}}",
                  "{by: [loom], order: [day], rows: last 7, set: {week: avg(metres)}}"),
              BY_GROUP,
              Field.of("order", ORDER, "the order in the group; totals then run up to the row"),
              Field.of("rows", TEXT, "which rows count: all, so-far, or a number as in last 7"),
              Field.of(
                      "set",
                      EXPRESSIONS,
                      "new columns: an aggregate, row_number(), rank(), dense_rank(), lag(…), lead(…), first_value(…), last_value(…)")
                  .needed()),
          fields(
              "dedupe",
              "Keeps one row of those that are the same, or makes one of them.",
              Inputs.ONE,
              List.of(
                  "{by: [roll_id], keep: last, order: [received_at]}",
                  "{by: {except: [received_at]}}",
                  "{by: [supplier_id], keep: merged, order: [seen_at], merge: {name: common, phone: last}}",
                  "{by: [town], alike: {on: name, least: 70%}, keep: first, order: [supplier_id]}"),
              Field.of("by", COLUMN_CHOICE, "what makes rows the same").otherwise("all columns"),
              Field.of("keep", WORD, "which one stays")
                  .words("first", "last", "merged")
                  .otherwise("first"),
              Field.of("order", ORDER, "what first and last mean")
                  .otherwise("the order of the input"),
              Field.of(
                      "merge",
                      COLUMN_WORDS,
                      "how values become one, by column; the others take their first that is not null")
                  .words("first", "last", "min", "max", "sum", "common", "joined"),
              Field.of(
                      "alike",
                      FIELDS,
                      "rows that are alike count as the same; a row that is like one member of a group belongs to it")
                  .holding(
                      Field.of(
                              "on",
                              COLUMN,
                              "a text; accents, case, punctuation and blanks do not count")
                          .needed(),
                      Field.of(
                              "measure",
                              WORD,
                              "the share of common trigrams, of letters that need no edit, or equal sound")
                          .words("trigrams", "edits", "sound")
                          .otherwise("trigrams"),
                      Field.of("least", SHARE, "the least likeness").otherwise("70%"),
                      Field.of(
                          "group",
                          NEW_COLUMN,
                          "keep all rows and number their groups in this column, for review"))),
          fields(
              "join",
              "Joins with another step; keys of both sides come out once.",
              Inputs.ONE_AND_ANOTHER,
              List.of(
                  "{with: looms, on: [loom_code], kind: left, take: [hall]}",
                  "{with: prices, on: {pattern: code}, where: \"woven_on >= since and woven_on < until\", kind: lookup}"),
              Field.of("with", STEP, "the other step").needed(),
              Field.of("on", KEYS, "key columns of both sides, or left names to right names"),
              Field.of("where", CONDITION, "a further condition over both sides, such as a range"),
              Field.of(
                      "kind",
                      WORD,
                      "which rows come out; lookup keeps every left row and stops the run if a key finds more than one")
                  .words("inner", "left", "right", "full", "semi", "anti", "lookup")
                  .otherwise("inner"),
              Field.of("take", COLUMN_CHOICE, "columns of the other side that come out")
                  .otherwise("all"),
              Field.of(
                  "prefix",
                  TEXT,
                  "what stands before columns of the other side whose name is there already"),
              Field.of(
                      "hold",
                      WORD,
                      "a hint, never needed: which input waits in memory while the other passes by; rows come in the order of the one that passes")
                  .words("other", "main")
                  .otherwise("other")),
          fields(
              "aggregate",
              "Groups rows and aggregates them.",
              Inputs.ONE,
              List.of(
                  "{by: [hall, woven_on], set: {metres: sum(metres), rolls: count(*)}}",
                  "{by: [hall, woven_on], levels: [[hall, woven_on], [hall], []], set: {metres: sum(metres)}}"),
              Field.of(
                  "by", COLUMNS, "the columns that make a group; without them all rows are one"),
              Field.of(
                  "set",
                  EXPRESSIONS,
                  "aggregates: count, sum, min, max, avg, stddev_pop, percentile(x, 0.9), mode, listagg(x, ', ') within group (order by x), list_of(x), first_of(x) within group (order by y), each perhaps with filter (where …)"),
              Field.of(
                  "levels",
                  LISTS_OF_COLUMNS,
                  "several sets of the columns at once, for totals of totals; what a level lacks is null")),
          fields(
              "check",
              "Holds rows, and all rows together, against rules.",
              Inputs.ONE,
              List.of(
                  "{positive: {is: metres > 0}, ids: {unique: roll_id, else: stop}, enough: {rows: {at-least: 1}}}",
                  "{grades: {in: [A, B, C], column: grade, share: 99%}, total: {all: sum(metres) > 0, else: warn}}",
                  "{looms: {column: loom_code, found-in: looms}, nothing-lost: {total: sum(metres), against: raw_rolls}, recent: {fresh: woven_at, within: 36 h}}"),
              Field.of("", NAMED_FIELDS, "rules by name")
                  .holding(
                      Field.of("is", CONDITION, "what each row must meet"),
                      Field.of("not-null", COLUMNS, "columns that must have a value"),
                      Field.of("in", TEXTS, "the values that [column] may have"),
                      Field.of("column", COLUMN, "for in and found-in"),
                      Field.of(
                          "unique", COLUMNS, "columns whose values together no two rows share"),
                      Field.of(
                          "found-in",
                          STEP,
                          "a step that must have a row with the same [column], or the same columns of [on]; nulls are not looked up"),
                      Field.of("on", KEYS, "for found-in: columns, or names here to names there"),
                      Field.of("rows", FIELDS, "how many rows there are")
                          .holding(
                              Field.of("at-least", COUNT, "no fewer"),
                              Field.of("at-most", COUNT, "no more")),
                      Field.of(
                          "all",
                          CONDITION,
                          "a condition of aggregates over all rows, as in sum(metres) > 0"),
                      Field.of(
                          "total",
                          EXPRESSION,
                          "an aggregate over all rows that agrees with that of another step"),
                      Field.of("against", STEP, "for total: the other step"),
                      Field.of(
                              "there",
                              EXPRESSION,
                              "for total: the aggregate over the other step's rows")
                          .otherwise("the same as here"),
                      Field.of(
                          "fresh",
                          COLUMN,
                          "a date or a timestamp whose newest is no older than [within] when the run begins"),
                      Field.of(
                          "within",
                          TEXT,
                          "for fresh: a time, as in 36 h; for total: how far apart the two may be, as in 0.5 or 0.1%"),
                      Field.of(
                          "share",
                          SHARE,
                          "with is, not-null and in: for how many rows it must hold, at least"),
                      Field.of("else", WORD, "what happens when it is not met")
                          .words("set-aside", "warn", "stop")
                          .otherwise("set-aside for rules of rows, stop for the others"))),
          fields(
              "calendar",
              "A row for each day of a range: ISO weeks, quarters, a fiscal year.",
              Inputs.NONE,
              List.of(
                  "{first: 2026-01-01, last: 2030-12-31, fiscal-start: 4}",
                  "{first: 2026-01-01, last: 2026-12-31, holidays: {step: days_off, day: free_on, name: called}}"),
              Field.of("first", TEXT, "the first day").needed(),
              Field.of("last", TEXT, "the last day").needed(),
              Field.of(
                      "fiscal-start",
                      COUNT,
                      "the month that a fiscal year starts with; it is named by the year it ends in")
                  .otherwise("1"),
              Field.of("holidays", FIELDS, "days off; adds is_holiday and is_working_day")
                  .holding(
                      Field.of("step", STEP, "the step that gives them").needed(),
                      Field.of("day", COLUMN, "its column with the day, a date").needed(),
                      Field.of("name", COLUMN, "its column with the name; adds holiday_name"))),
          fields(
              "dimension",
              "Brings a dimension up to date: surrogate keys stay, changes are overwritten or kept as history. All its rows come out, to be written with mode: replace.",
              Inputs.ONE,
              List.of(
                  "{table: mart.dim_loom, key: [loom_code], history: [hall, mill_code], changed-at: since, gone: mark}"),
              Field.of("table", TABLE, "the dimension's table, as it is now").needed(),
              Field.of("key", COLUMNS, "the natural key").needed(),
              Field.of("surrogate", NEW_COLUMN, "the surrogate key's name")
                  .otherwise("the table's name without dim_, and _key"),
              Field.of(
                  "history",
                  COLUMN_CHOICE,
                  "attributes whose changes make a new version, with valid_from, valid_to and is_current; the others are overwritten"),
              Field.of("changed-at", COLUMN, "since when a row holds; a change may come late")
                  .otherwise("the time of the run"),
              Field.of(
                      "gone",
                      WORD,
                      "what happens to members that are no longer in the input; mark gives them gone_at")
                  .words("keep", "mark")
                  .otherwise("keep")),
          fields(
              "fact",
              "Resolves natural keys to surrogate keys, as of the event's time, and keeps keys and measures.",
              Inputs.ONE_AND_ANOTHER,
              List.of(
                  "{grain: [roll_id], keys: {loom_key: {dimension: dim_loom, on: [loom_code], at: woven_at}}, measures: [metres], keep: [roll_id]}"),
              Field.of("grain", COLUMNS, "what no two rows share; a run stops where they do")
                  .needed(),
              Field.of(
                      "keys",
                      NAMED_FIELDS,
                      "the surrogate keys by name; -1 is the unknown member, -2 none at all")
                  .needed()
                  .holding(
                      Field.of(
                              "dimension",
                              STEP,
                              "the step that gives the dimension's rows, a dimension or a read; its first column is the key")
                          .needed(),
                      Field.of("on", KEYS, "the natural key: columns, or names here to names there")
                          .needed(),
                      Field.of("at", COLUMN, "the event's time, where the dimension keeps history"),
                      Field.of(
                              "orphans",
                              WORD,
                              "what becomes of a row without a member: the unknown member, set aside, or a placeholder in the dimension, which is completed when the member comes")
                          .words("unknown", "set-aside", "placeholder")
                          .otherwise("unknown")),
              Field.of("measures", COLUMNS, "numbers"),
              Field.of(
                  "keep", COLUMNS, "columns that stay as they are, such as a document's number")),
          new StepDescription(
              "sql",
              "A query over the inputs, by the names of their steps.",
              Inputs.SEVERAL,
              Optional.of(Field.of("", QUERY, "ISO SQL")),
              List.of(),
              List.of("select hall, sum(metres) as metres from rolls group by hall")),
          fields(
              "use",
              "The steps of a part, in this step's place: what comes out is what the part gives.",
              Inputs.SEVERAL,
              List.of("{part: tidy-rolls, with: {least: 0.5}}"),
              Field.of("part", TEXT, "the part").needed(),
              Field.of("with", VALUES, "values of the part's parameters")),
          fields(
              "write",
              "Writes a table; all tables of a run are published together.",
              Inputs.ONE,
              List.of(
                  "{table: mart.cloth_by_day, mode: replace-partitions, partition: [year(woven_on), month(woven_on)]}",
                  "{table: mart.rolls, mode: upsert, key: [roll_id]}"),
              Field.of("table", TABLE, "the table").needed(),
              Field.of("mode", WORD, "what happens to rows that are there")
                  .words("append", "replace", "replace-partitions", "upsert", "delete")
                  .otherwise("append"),
              Field.of(
                  "key",
                  COLUMNS,
                  "for upsert and delete: the columns by which rows are matched with those that are there"),
              Field.of(
                  "partition",
                  PARTITIONS,
                  "columns, or year(c), month(c), day(c), hour(c), bucket(c, 16) or truncate(c, 3)"),
              Field.of(
                  "sort", ORDER, "how rows are sorted inside each block of a file, for readers"),
              Field.of(
                  "find-by",
                  COLUMNS,
                  "columns whose values are looked for one by one, such as numbers of rolls: blocks of a file get Bloom filters of them, by which blocks without the value are passed over"),
              Field.of(
                      "columns",
                      WORD,
                      "what happens to columns that differ from the table's: refused (fixed), given to the table (follow), or left out and filled with nulls (fit)")
                  .words("fixed", "follow", "fit")
                  .otherwise("fixed"),
              Field.of("match", RENAMES, "table columns to columns here, where their names differ"),
              Field.of("target-size", SIZE, "the size that files aim for").otherwise("128 MB"),
              Field.of(
                      "may-shrink",
                      SHARE,
                      "a replace that takes away more than this share of the rows is warned of")
                  .otherwise("20%")));

  private static StepDescription fields(
      String verb, String about, Inputs inputs, List<String> examples, Field... fields) {
    return new StepDescription(verb, about, inputs, Optional.empty(), List.of(fields), examples);
  }

  private static StepDescription value(String verb, String about, Field value, String example) {
    return new StepDescription(
        verb, about, Inputs.ONE, Optional.of(value), List.of(), List.of(example));
  }

  public static List<StepDescription> all() {
    return ALL;
  }

  public static List<String> verbs() {
    return ALL.stream().map(StepDescription::verb).toList();
  }

  public static StepDescription of(String verb) {
    return ALL.stream().filter(d -> d.verb().equals(verb)).findFirst().orElseThrow();
  }

  /** Whether rows begin with steps of that verb. */
  public static boolean begins(String verb) {
    return ALL.stream().anyMatch(d -> d.verb().equals(verb) && d.inputs() == Inputs.NONE);
  }
}
