package yardage.core.pipeline.read;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.column.Type;
import yardage.core.lake.AsOf;
import yardage.core.lake.FileFilling;
import yardage.core.lake.LakeTable;
import yardage.core.lake.PartitionField;
import yardage.core.lake.TableName;
import yardage.core.lake.WriteMode;
import yardage.core.plan.JoinKind;
import yardage.core.star.Calendar;
import yardage.core.step.CastStep;
import yardage.core.step.LikenessStep;

/** What a step does. Closed: the document's grammar. */
public sealed interface Verb {

  String word();

  /**
   * A step that is switched off: the rows of its first input pass as they come.
   *
   * @param instead what it would do
   */
  record Off(String instead) implements Verb {
    @Override
    public String word() {
      return OFF;
    }
  }

  /** The field that switches a step off, and what such a step is called. */
  String OFF = "off";

  /** Rows of a feed's files. */
  record ReadFeed(Located feed) implements Verb {
    @Override
    public String word() {
      return "read";
    }
  }

  /** Rows of a table, perhaps as it was. */
  record ReadTable(TableName table, Located name, Optional<AsOf> asOf) implements Verb {
    public LakeTable of(LakeTable now) {
      return asOf.map(a -> a.of(now)).orElse(now);
    }

    @Override
    public String word() {
      return "read";
    }
  }

  /**
   * Cleans text, renames, cuts and joins texts, casts, sets, drops, and puts columns in order; in
   * this order.
   *
   * @param collapse columns whose runs of blanks become one, with none at the ends
   * @param rename old names to new ones; both may have one {@code *}
   * @param order columns that come first
   */
  record Shape(
      Optional<ColumnChoice> trim,
      Optional<ColumnChoice> collapse,
      Optional<ColumnChoice> upper,
      Optional<ColumnChoice> lower,
      Map<Located, Split> split,
      Map<Located, Combine> combine,
      Map<Located, Type> cast,
      CastStep.Otherwise otherwise,
      Map<Located, Located> rename,
      Map<Located, Located> set,
      Optional<ColumnChoice> drop,
      List<Located> order)
      implements Verb {
    /**
     * A text cut at a separator.
     *
     * @param into new columns; the last one has what is left
     */
    public record Split(Located by, List<Located> into) {}

    /** Columns as one text, with something between them. */
    public record Combine(List<Located> columns, String between) {}

    @Override
    public String word() {
      return "shape";
    }
  }

  /**
   * Puts values in the place of nulls.
   *
   * @param tokens texts that count as null too
   * @param with an expression over the row
   * @param group how to take a value from the row's group, if it comes from there
   */
  record Fill(
      ColumnChoice columns,
      List<Located> tokens,
      Optional<Located> with,
      Optional<GroupValue> group,
      List<Located> by,
      List<Located> order)
      implements Verb {
    @Override
    public String word() {
      return "fill";
    }

    /** Which value of a group. */
    public enum GroupValue {
      BEFORE,
      BEHIND,
      COMMON,
      AVERAGE
    }
  }

  /**
   * Keeps some rows by hash.
   *
   * @param by columns that decide; all when empty
   */
  record Sample(Optional<Double> share, Optional<Long> rows, List<Located> by, long seed)
      implements Verb {
    @Override
    public String word() {
      return "sample";
    }
  }

  /** Lists and maps to rows; structs to columns. */
  record Unnest(
      Located column, boolean keepEmpty, Optional<Located> position, Optional<String> prefix)
      implements Verb {
    @Override
    public String word() {
      return "unnest";
    }
  }

  /** Values of a column to columns. */
  record Pivot(List<Located> by, Located names, List<Located> values, Map<Located, Located> set)
      implements Verb {
    @Override
    public String word() {
      return "pivot";
    }
  }

  /** Columns to rows of name and value. */
  record Unpivot(ColumnChoice columns, Located names, Located values, boolean dropNulls)
      implements Verb {
    @Override
    public String word() {
      return "unpivot";
    }
  }

  /**
   * Adds columns that look at a row's group: totals, ranks, running values.
   *
   * @param rows which rows of the group count, in SQL's words; empty for SQL's own choice
   */
  record Across(
      List<Located> by, List<Located> order, Map<Located, Located> set, Optional<String> rows)
      implements Verb {
    @Override
    public String word() {
      return "across";
    }
  }

  /** Holds rows, and all rows together, against rules. */
  record Check(List<CheckRule> rules) implements Verb {
    @Override
    public String word() {
      return "check";
    }
  }

  /** Keeps the rows for which a condition is true. */
  record Keep(Located condition) implements Verb {
    @Override
    public String word() {
      return "keep";
    }
  }

  /**
   * Keeps one row per key, or makes one of all.
   *
   * @param by what makes two rows the same; all columns when empty
   * @param merge how the values of the rows become one, by column; {@code first} for the others
   */
  record Dedupe(
      Optional<ColumnChoice> by,
      List<Located> order,
      boolean keepLast,
      Optional<Map<Located, Located>> merge,
      Optional<Likeness> alike)
      implements Verb {
    /** How the values of several rows become one. */
    public static final List<String> MERGES =
        List.of("first", "last", "min", "max", "sum", "common", "joined");

    @Override
    public String word() {
      return "dedupe";
    }

    /**
     * Rows that are the same although they are not equal.
     *
     * @param on a text column
     * @param least the least share of likeness
     * @param group a column that numbers the groups, if rows are to stay for a person to look at
     */
    public record Likeness(
        Located on, LikenessStep.Measure measure, double least, Optional<Located> group) {}
  }

  /**
   * Joins the main input with another.
   *
   * @param on key columns, left to right
   * @param take the right side's columns that come out; all when empty
   * @param prefix put before right columns whose name the left side has too
   * @param where a further condition over both sides' columns
   * @param atMostOne whether a key that matches more than once stops the run
   * @param holdMain whether the main input waits in memory while the other passes by
   */
  record JoinStep(
      Located with,
      Map<Located, Located> on,
      JoinKind kind,
      Optional<ColumnChoice> take,
      Optional<String> prefix,
      Optional<Located> where,
      boolean atMostOne,
      boolean holdMain)
      implements Verb {
    public JoinStep withInput(Located other) {
      return new JoinStep(other, on, kind, take, prefix, where, atMostOne, holdMain);
    }

    @Override
    public String word() {
      return "join";
    }
  }

  /** The days of a range, perhaps with holidays that another step gives. */
  record CalendarDays(Calendar calendar, Optional<Holidays> holidays) implements Verb {
    /**
     * Where holidays come from.
     *
     * @param day its column with the day
     * @param name its column with the holiday's name
     */
    public record Holidays(Located step, Located day, Optional<Located> name) {}

    @Override
    public String word() {
      return "calendar";
    }
  }

  /**
   * Brings a dimension up to date; all its rows come out.
   *
   * @param surrogate the name of its surrogate key
   * @param history attributes whose changes make new versions
   * @param changedAt the column that says since when a row holds
   * @param early rows whose keys get placeholders where there is no member yet
   */
  record Dimension(
      TableName table,
      Located name,
      String surrogate,
      List<Located> key,
      Optional<ColumnChoice> history,
      Optional<Located> changedAt,
      boolean marksGone,
      List<Early> early)
      implements Verb {
    /**
     * Rows of a fact that may come before their members.
     *
     * @param step the step that gives them
     * @param on columns there to columns of the natural key
     * @param fact the step that asks for it
     */
    public record Early(Located step, Map<Located, Located> on, String fact) {}

    Dimension with(Early other) {
      List<Early> all = new java.util.ArrayList<>(early);
      all.add(other);
      return new Dimension(table, name, surrogate, key, history, changedAt, marksGone, all);
    }

    @Override
    public String word() {
      return "dimension";
    }
  }

  /**
   * Resolves natural keys to surrogate keys, and keeps keys, measures and little else.
   *
   * @param grain the columns that no two rows share
   * @param keep columns that stay as they are
   */
  record Fact(
      List<Located> grain, Map<Located, Key> keys, List<Located> measures, List<Located> keep)
      implements Verb {
    @Override
    public String word() {
      return "fact";
    }

    /**
     * One surrogate key.
     *
     * @param dimension the step that gives the dimension's rows; its first column is the key
     * @param on columns here to columns there
     * @param at the time for which the member is wanted
     * @param orphans what becomes of a row without a member
     */
    public record Key(
        Located dimension, Map<Located, Located> on, Optional<Located> at, Orphans orphans) {}

    /** What becomes of a row whose member is not there. */
    public enum Orphans {
      /** It gets the key of the unknown member. */
      UNKNOWN,
      SET_ASIDE,
      /** The dimension gets a member for it, to be completed when it comes. */
      PLACEHOLDER
    }
  }

  /**
   * Groups and aggregates.
   *
   * @param levels several sets of the columns to group by, for totals of totals; one when empty
   */
  record AggregateStep(List<Located> by, Map<Located, Located> set, List<List<Located>> levels)
      implements Verb {
    @Override
    public String word() {
      return "aggregate";
    }
  }

  /**
   * All rows of all inputs.
   *
   * @param byPosition whether columns are matched by their place, rather than by name
   * @param source a column that names the input that a row came from
   */
  record Stack(boolean byPosition, Optional<Located> source) implements Verb {
    @Override
    public String word() {
      return "stack";
    }
  }

  /** A query over the inputs, by the names of their steps. */
  record Sql(Located query) implements Verb {
    @Override
    public String word() {
      return "sql";
    }
  }

  /**
   * The steps of a part, in this step's place.
   *
   * @param with values of its parameters
   */
  record Use(Located part, Map<Located, Located> with) implements Verb {
    @Override
    public String word() {
      return "use";
    }
  }

  /**
   * Writes a table.
   *
   * @param match table columns to columns here, where their names differ
   */
  record Write(
      TableName table,
      Located name,
      WriteMode mode,
      List<Located> key,
      List<PartitionField> partition,
      Optional<Located> partitionPlace,
      Columns columns,
      Map<Located, Located> match,
      List<Located> findBy,
      FileFilling files,
      double mayShrink)
      implements Verb {
    /** A replace that leaves less than four fifths of the rows is told. */
    public static final double MAY_SHRINK = 0.2;

    /** What happens when rows have other columns than the table that is there. */
    public enum Columns {
      /** It is refused. */
      FIXED,
      /** The table gets what it lacks. */
      FOLLOW,
      /** Rows lose what the table has not, and get nulls for what they lack. */
      FIT
    }

    @Override
    public String word() {
      return "write";
    }
  }
}
