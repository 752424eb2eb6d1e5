package yardage.core.pipeline.compile;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.document.Problem;
import yardage.core.testing.TestLake;

/**
 * What each step says of a mistake in it: one error for one mistake, in words that name the value,
 * at the line and column where it stands. The steps read two feeds; {@code ~} begins a line.
 */
class StepMistakesTest {
  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void feeds() {
    lake = new TestLake(folder);
    lake.declare(
        "feed: rolls\nfiles: rolls/*\njson: {records: lines}\ncolumns: {roll: varchar, loom: varchar, metres: \"decimal(9, 2)\", day_woven: date, marks: list(varchar), good: boolean}\n");
    lake.declare(
        "feed: looms\nfiles: looms/*\ntext: {}\ncolumns: {loom: varchar, hall: varchar, built: int}\n");
  }

  /** The errors, each as {@code the text at its place: message}. */
  private List<String> errors(String steps) {
    String text =
        "pipeline: p\nsteps:\n  rolls: {read: {feed: rolls}}\n  looms: {read: {feed: looms}}\n  "
            + steps.replace("~", "\n  ")
            + "\n";
    List<String> lines = text.lines().toList();
    return lake.check(text).problems().stream()
        .filter(p -> p.severity() == Problem.Severity.ERROR)
        .map(
            p -> {
              String line = lines.get(p.place().line() - 1);
              int end =
                  p.place().endLine() == p.place().line() ? p.place().endColumn() : line.length();
              return "%s: %s"
                  .formatted(
                      line.substring(p.place().column() - 1, Math.min(end, line.length())),
                      p.message());
            })
        .toList();
  }

  /**
   * @param place what stands at the problem's place; empty where it is the step as a whole
   */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // read, keep, sample, stack
        "x: {read: {}} | {} | A read names either a feed or a table",
        "x: {read: {feed: rolls, as-of: 2026-01-01}} | {feed: rolls, as-of: 2026-01-01} | [as-of] goes with [table]; a feed has no past",
        "x: {from: rolls, sample: {share: 5%, rows: 10}} | | A sample has either a share",
        "x: {from: rolls, sample: {share: much}} | much | Invalid share [much]: write a percentage",
        "x: {from: rolls, sample: {rows: few}} | few | Invalid number [few]: write digits only",
        // shape
        "x: {from: rolls, shape: {trim: [metres]}} | metres | [metres] is decimal(9, 2); only varchar can be trimmed",
        "x: {from: rolls, shape: {rename: {roll: loom}}} | | There is a column [loom] already; choose another name or drop that one first",
        "x: {from: rolls, shape: {cast: {marks: int}}} | marks | [marks] is list(varchar) and cannot be cast to int",
        "x: {from: rolls, shape: {split: {metres: {by: \"-\", into: [a, b]}}}} | metres | [metres] is decimal(9, 2); only varchar can be split",
        "x: {from: rolls, shape: {split: {roll: {into: [a, b]}}}} | {into: [a, b]} | [by] is missing: the separator",
        "x: {from: rolls, shape: {split: {roll: {by: \"-\"}}}} | {by: \"-\"} | [into] is missing: the columns for the parts",
        "x: {from: rolls, shape: {combine: {place: {with: \"-\"}}}} | {with: \"-\"} | [columns] is missing: the columns to put together",
        "x: {from: looms, shape: {drop: {like: [\"*\"]}}} | | Step [x] drops every column",
        "x: {from: looms, shape: {set: {built: built + 1, Built: built + 2}}} | Built | [Built] is set already; names of columns differ by more than case",
        "x: {from: looms, shape: {set: {built: biult + 1}, drop: [built]}} | biult | There is no column [biult]",
        // fill, across
        "x: {from: rolls, fill: {columns: [metres]}} | {columns: [metres]} | A fill takes its value either from an expression",
        "x: {from: rolls, fill: {columns: [metres], with: \"'a'\"}} | | [metres] is decimal(9, 2) and cannot be filled with varchar",
        "x: {from: rolls, fill: {columns: [metres], from: before}} | | [order] is missing: what before and behind mean",
        "x: {from: rolls, fill: {columns: [loom], from: average}} | loom | [loom] is varchar, and only numbers have an average",
        "x: {from: rolls, fill: {columns: {of: double}, with: \"1\"}} | | Step [x] chooses no column to fill",
        "x: {from: rolls, across: {by: [loom]}} | {by: [loom]} | [set] is missing: the columns to add",
        "x: {from: rolls, across: {by: [loom], set: {n: row_number()}}} | row_number() | [row_number()] needs an order",
        "x: {from: rolls, across: {order: [roll], rows: some, set: {n: sum(metres)}}} | some | Invalid rows [some]: write all, so-far, or a number as in last 7",
        // unnest, pivot, unpivot
        "x: {from: rolls, unnest: {position: n}} | {position: n} | [column] is missing: the column whose elements become rows",
        "x: {from: rolls, pivot: {by: [roll], names: loom, set: {m: sum(metres)}}} | | [values] is missing: the values that become columns",
        "x: {from: rolls, pivot: {by: [roll], names: loom, values: [A]}} | | [set] is missing: what stands in the columns",
        "x: {from: rolls, pivot: {by: [roll], names: loom, values: [A], set: {m: sum(metres) + 1}}} | sum(metres) + 1 | must be one aggregate function",
        "x: {from: rolls, unpivot: {names: what, values: v}} | {names: what, values: v} | [columns] is missing: the columns that become rows",
        "x: {from: rolls, unpivot: {columns: [loom, metres], names: what, values: v}} | | and one column must hold both; cast them in a shape step before",
        // dedupe
        "x: {from: rolls, dedupe: {}} | | rows cannot be compared by it; leave it out with by: {except: [marks]}",
        "x: {from: rolls, dedupe: {by: [roll], keep: first, order: [roll], merge: {metres: sum}}} | | [merge] goes with keep: merged",
        "x: {from: rolls, dedupe: {alike: {on: metres, least: 70%}, keep: first, order: [roll]}} | metres | [metres] is decimal(9, 2), and only varchar can be alike",
        "x: {from: rolls, dedupe: {alike: {on: loom, least: 5%}, keep: first, order: [roll]}} | 5% | A likeness below 20% makes nearly everything alike",
        // join, aggregate
        "x: {from: rolls, join: {with: looms, take: [hall]}} | {with: looms, take: [hall]} | [on] is missing: the key columns",
        "x: {from: rolls, join: {with: looms, on: {metres: hall}, take: [built]}} | | A join cannot compare [metres] of [rolls], which is decimal(9, 2), with [hall] of [looms], which is varchar",
        "x: {from: rolls, aggregate: {by: [loom], levels: [[hall]], set: {n: count(*)}}} | hall | A level has only columns of [by], and [hall] is none of them",
        "x: {from: rolls, aggregate: {by: [loom], levels: loom, set: {n: count(*)}}} | loom | [levels] is a list of lists of columns",
        // check
        "x: {from: rolls, check: {}} | {} | A check needs rules by name",
        "x: {from: rolls, check: {r: metres > 0}} | metres > 0 | A rule is written by its name",
        "x: {from: rolls, check: {r: {is: metres > 0, unique: roll}}} | | A rule has one of",
        "x: {from: rolls, check: {r: {is: metres}}} | metres | [metres] is decimal(9, 2); a rule is a condition",
        "x: {from: rolls, check: {r: {all: sum(metres)}}} | sum(metres) | a rule is a condition, as in sum(metres) > 0",
        "x: {from: rolls, check: {r: {total: max(loom), against: looms}}} | max(loom) | a total is a number, as in sum(metres) or count(*)",
        "x: {from: rolls, check: {r: {total: count(*)}}} | {total: count(*)} | [against] is missing: the step whose total it is held against",
        "x: {from: rolls, check: {r: {total: count(*), against: looms, within: far}}} | far | Invalid distance [far]",
        "x: {from: rolls, check: {r: {fresh: loom, within: 36 h}}} | loom | [loom] is varchar; only a date or a timestamp can be fresh",
        "x: {from: rolls, check: {r: {fresh: day_woven}}} | {fresh: day_woven} | [within] is missing: how old the newest row may be",
        "x: {from: rolls, check: {r: {column: metres, found-in: looms}}} | metres | There is no column [metres]; there are loom, hall, built",
        "x: {from: rolls, check: {r: {unique: []}}} | {unique: []} | [unique] needs columns, as in unique: [roll_id]",
        // write
        "x: {from: rolls, write: {}} | {} | [table] is missing: the table to write",
        "x: {from: rolls, write: {table: t.x, mode: upsert}} | {table: t.x, mode: upsert} | [key] is missing: the columns by which rows are matched",
        "x: {from: rolls, write: {table: t.x, key: [roll]}} | | [key] goes with mode: upsert or delete",
        "x: {from: rolls, write: {table: t.x, mode: upsert, key: [marks]}} | marks | [marks] is list(varchar) and cannot be a key",
        "x: {from: rolls, write: {table: t.x, mode: replace-partitions}} | | [partition] is missing: replace-partitions needs to know them",
        "x: {from: rolls, write: {table: t.x, target-size: big}} | big | Invalid size [big]: write a number and kB, MB or GB",
        // calendar, dimension, fact
        "x: {calendar: {last: 2026-12-31}} | {last: 2026-12-31} | [first] is missing: the first day",
        "x: {calendar: {first: 2026-01-01, last: 2025-01-01}} | 2025-01-01 | The last day 2025-01-01 is before the first, 2026-01-01",
        "x: {calendar: {first: 0001-01-01, last: 2026-01-01}} | 2026-01-01 | a calendar has at most 200,000",
        "x: {calendar: {first: 2026-01-01, last: 2026-02-01, fiscal-start: 13}} | 13 | A fiscal year starts with a month, 1 to 12",
        "x: {from: looms, dimension: {key: [loom]}} | {key: [loom]} | [table] is missing: the dimension's table",
        "x: {from: looms, dimension: {table: t.dim, key: [loom], history: [hall], changed-at: built}} | built | [built] is int; a time of change is a date or a timestamp",
        "x: {from: rolls, fact: {keys: {loom_key: {dimension: looms, on: [loom]}}, measures: [metres]}} | | [grain] is missing: the columns that no two rows of the fact share",
        "x: {from: rolls, fact: {grain: [roll], measures: [metres]}} | | [keys] is missing: the surrogate keys by name",
        "x: {from: rolls, fact: {grain: [roll], keys: {loom_key: {dimension: looms, on: [loom]}}, measures: [metres]}} | looms | The first column of a dimension is its surrogate key, and [loom] is varchar",
        "x: {from: rolls, use: {}} | {} | [part] is missing: the part's name",
      })
  void isToldInWordsAtItsPlace(String step, String place, String expected) {
    String writes = step.contains("write:") ? "" : "~w: {from: x, write: {table: t.t}}";

    List<String> errors = errors(step + writes);

    assertEquals(1, errors.size(), errors.toString());
    assertTrue(errors.get(0).contains(expected == null ? "" : expected), errors.toString());
    if (place != null) {
      assertTrue(errors.get(0).startsWith(place + ": "), errors.toString());
    }
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "x: {from: rolls, shape: {set: {a: metres + loom, b: 1, c: 'upper(', d: wieght}}}",
        "x: {from: rolls, aggregate: {by: [loom], set: {a: sum(loom), b: count(*), c: 'upper(', d: max(wieght)}}}",
        "x: {from: rolls, aggregate: {by: [hall], set: {b: count(*), c: 'upper(', d: max(wieght)}}}"
      })
  void eachOfSeveralIsTold(String step) {
    List<String> errors = errors(step + "~w: {from: x, write: {table: t.t}}");

    assertEquals(3, errors.size(), errors.toString());
    assertTrue(errors.stream().anyMatch(e -> e.startsWith("wieght: ")), errors.toString());
  }
}
