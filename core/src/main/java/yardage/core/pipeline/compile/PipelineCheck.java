package yardage.core.pipeline.compile;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.apache.calcite.sql.SqlNode;
import yardage.core.column.Schema;
import yardage.core.document.Names;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.feed.FeedDefinition;
import yardage.core.lake.LakeException;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.lake.WriteMode;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.sql.PlanSession;
import yardage.core.star.Calendar;

/**
 * All that can be known about a pipeline without running it: its problems, and every step's
 * columns. Never throws for what a document says.
 */
public final class PipelineCheck {
  private static final int MOST_STEPS = 1_000;
  private static final String NO_WRITE = "no-write";

  private final PipelineDocument document;
  private final Catalog catalog;
  private final List<Problem> problems = new ArrayList<>();
  private final Map<String, StepBody> bodies = new LinkedHashMap<>();
  private final Map<String, Schema> schemas = new LinkedHashMap<>();
  private final PlanSession session = new PlanSession();
  private final Set<String> failed = new LinkedHashSet<>();
  private final Map<TableName, String> awaited = new LinkedHashMap<>();

  /** Sound values of parameters. */
  private Map<String, String> given = Map.of();

  private PipelineCheck(PipelineDocument document, Catalog catalog) {
    this.document = document;
    this.catalog = catalog;
  }

  /** A step as the console and the client show it. */
  public record StepInfo(
      String name,
      String verb,
      String detail,
      List<String> from,
      Optional<String> with,
      Place place,
      Optional<Schema> schema) {}

  public static PipelineCheck of(
      PipelineDocument document, Catalog catalog, Map<String, String> parameters) {
    PipelineDocument whole = Parts.putIn(document, catalog);
    PipelineCheck check = new PipelineCheck(whole, catalog);
    check.problems.addAll(whole.problems());
    check.parameters(parameters);
    check.steps(parameters);
    check.problems.replaceAll(p -> Parts.placed(p, whole));
    check.problems.sort(
        java.util.Comparator.comparing((Problem p) -> p.severity())
            .thenComparing(p -> p.place().line())
            .thenComparing(p -> p.place().column()));
    return check;
  }

  public PipelineDocument document() {
    return document;
  }

  public List<Problem> problems() {
    return List.copyOf(problems);
  }

  public boolean hasErrors() {
    return problems.stream().anyMatch(p -> p.severity() == Problem.Severity.ERROR);
  }

  /**
   * What keeps a step from giving rows: the errors of it, of the steps that its rows come from, and
   * of the document itself. That nothing is written yet does not.
   */
  public List<Problem> errorsUpTo(String step) {
    Set<String> names = new LinkedHashSet<>(List.of("", step));
    behind(document, step).forEach(s -> names.add(s.name()));
    return problems.stream()
        .filter(p -> p.severity() == Problem.Severity.ERROR)
        .filter(p -> names.contains(p.step()) && !p.code().equals(NO_WRITE))
        .toList();
  }

  public List<StepInfo> steps() {
    return steps(document, schemas);
  }

  /** The steps as the text has them, without looking anything up: their columns are not known. */
  public static List<StepInfo> shapeOf(PipelineDocument document, Catalog catalog) {
    return steps(Parts.putIn(document, catalog), Map.of());
  }

  /** What each write is expected to make. */
  public List<WriteForecast> forecasts() {
    return document.steps().values().stream()
        .filter(s -> s.verb() instanceof Verb.Write)
        .flatMap(
            s -> {
              Verb.Write write = (Verb.Write) s.verb();
              return WriteForecast.of(s.name(), write, catalog.table(write.table())).stream();
            })
        .toList();
  }

  /**
   * How a document uses a table.
   *
   * @param writes whether it writes it; otherwise it reads it
   * @param mode the way of writing; empty for a read
   * @param key the columns that a write matches rows by
   */
  public record TableUse(
      TableName table, String step, boolean writes, String mode, List<String> key) {}

  /** The tables that a document reads and writes. */
  public static List<TableUse> tablesOf(PipelineDocument document) {
    List<TableUse> out = new ArrayList<>();
    for (PipelineDocument.Step s : document.steps().values()) {
      if (s.verb() instanceof Verb.ReadTable r) {
        out.add(new TableUse(r.table(), s.name(), false, "", List.of()));
      } else if (s.verb() instanceof Verb.Dimension d) {
        out.add(new TableUse(d.table(), s.name(), false, "", List.of()));
      } else if (s.verb() instanceof Verb.Write w) {
        out.add(
            new TableUse(
                w.table(),
                s.name(),
                true,
                w.mode().text(),
                w.key().stream().map(Located::text).toList()));
      }
    }
    return out;
  }

  /** The feeds from which alone a step's rows come, through other steps; empty when tables add. */
  public static List<String> feedsOf(PipelineDocument document, String step) {
    Set<String> feeds = new LinkedHashSet<>();
    for (PipelineDocument.Step s : behind(document, step)) {
      if (s.verb() instanceof Verb.ReadFeed read) {
        feeds.add(read.feed().text());
      } else if (s.inputs().isEmpty()
          || s.inputs().stream().anyMatch(i -> !document.steps().containsKey(i.text()))) {
        return List.of();
      }
    }
    return List.copyOf(feeds);
  }

  /** A step and all that its rows come from, each once however many ways lead there. */
  public static List<PipelineDocument.Step> behind(PipelineDocument document, String step) {
    Map<String, PipelineDocument.Step> out = new LinkedHashMap<>();
    Deque<String> open = new ArrayDeque<>(List.of(step));
    while (!open.isEmpty()) {
      String name = open.pop();
      PipelineDocument.Step s = document.steps().get(name);
      if (s != null && out.putIfAbsent(name, s) == null) {
        s.inputs().forEach(i -> open.add(i.text()));
      }
    }
    return List.copyOf(out.values());
  }

  /** The tables that are read and not there yet, and the pipelines that will write them. */
  public Map<TableName, String> awaited() {
    return Map.copyOf(awaited);
  }

  static boolean writes(PipelineDocument document, TableName table) {
    return tablesOf(document).stream().anyMatch(u -> u.writes() && u.table().equals(table));
  }

  /** The columns of a table that the document writes, where they are known. */
  Optional<Schema> written(TableName table) {
    return tablesOf(document).stream()
        .filter(u -> u.writes() && u.table().equals(table))
        .findFirst()
        .flatMap(u -> Optional.ofNullable(schemas.get(u.step())));
  }

  /** The feeds that a document reads. */
  public static List<String> feedsOf(PipelineDocument document) {
    return document.steps().values().stream()
        .filter(s -> s.verb() instanceof Verb.ReadFeed)
        .map(s -> ((Verb.ReadFeed) s.verb()).feed().text())
        .distinct()
        .toList();
  }

  private static List<StepInfo> steps(PipelineDocument document, Map<String, Schema> schemas) {
    return document.steps().values().stream()
        .map(
            s ->
                new StepInfo(
                    s.name(),
                    s.verb().word(),
                    detail(s.verb()),
                    (s.verb() instanceof Verb.JoinStep ? s.from() : s.inputs())
                        .stream().map(Located::text).toList(),
                    s.verb() instanceof Verb.JoinStep j
                        ? Optional.of(j.with().text())
                        : Optional.empty(),
                    s.fromPart().map(PipelineDocument.FromPart::place).orElse(s.place()),
                    Optional.ofNullable(schemas.get(s.name()))))
        .toList();
  }

  private static String detail(Verb verb) {
    if (verb instanceof Verb.ReadFeed read) {
      return "feed " + read.feed().text();
    } else if (verb instanceof Verb.ReadTable read) {
      return "table " + read.table();
    } else if (verb instanceof Verb.Write write) {
      return write.table().toString();
    } else if (verb instanceof Verb.Dimension dimension) {
      return dimension.table().toString();
    } else if (verb instanceof Verb.CalendarDays days) {
      return days.calendar().from() + " to " + days.calendar().to();
    } else if (verb instanceof Verb.Off off) {
      return off.instead();
    } else if (verb instanceof Verb.Use use) {
      return "part " + use.part().text();
    } else if (verb instanceof Verb.JoinStep join) {
      return join.kind().name().toLowerCase(java.util.Locale.ROOT);
    }
    return "";
  }

  public PlanSession session() {
    return session;
  }

  /**
   * An expression that may name the document's parameters.
   *
   * @throws yardage.core.sql.SqlProblemException when it is none
   */
  public SqlNode expression(String text) {
    return new PlacedSql(session, document.parameters(), given).expression(text);
  }

  public StepBody body(String step) {
    return bodies.get(step);
  }

  public Schema schema(String step) {
    return schemas.get(step);
  }

  private void parameters(Map<String, String> given) {
    given.forEach(
        (name, value) -> {
          PipelineDocument.Parameter p = document.parameters().get(name);
          if (p == null) {
            problems.add(
                PipelineDocument.error(
                    "",
                    "parameters." + name,
                    "unknown-parameter",
                    Place.START,
                    "The pipeline has no parameter [%s]%s"
                        .formatted(name, Names.instead(name, document.parameters().keySet()))));
            return;
          }
          try {
            yardage.core.expr.Cast.parse(value, p.type());
          } catch (yardage.core.expr.ExpressionException e) {
            problems.add(
                PipelineDocument.error(
                    "",
                    "parameters." + name,
                    "wrong-value",
                    Place.START,
                    "Parameter [%s]: %s".formatted(name, e.getMessage())));
          }
        });
  }

  private void steps(Map<String, String> parameters) {
    Map<String, PipelineDocument.Step> steps = document.steps();
    if (problems.stream().noneMatch(p -> p.field().startsWith("parameters."))) {
      given = Map.copyOf(parameters);
    }
    StepCompiler compiler =
        new StepCompiler(session, catalog, document.parameters(), given, problems);
    if (steps.size() > MOST_STEPS) {
      problems.add(
          new Problem(
              Problem.Severity.ERROR,
              "too-many-steps",
              "",
              "steps",
              Place.START,
              "The document has %,d steps; there may be %,d. Split it into several pipelines"
                  .formatted(steps.size(), MOST_STEPS),
              Optional.empty()));
      return;
    }
    Map<String, Integer> state = new HashMap<>();
    for (String name : steps.keySet()) {
      visit(name, state, compiler, new ArrayList<>());
    }
    Set<String> read = new LinkedHashSet<>();
    steps.values().forEach(s -> s.inputs().forEach(i -> read.add(i.text())));
    boolean writes = false;
    for (PipelineDocument.Step step : steps.values()) {
      boolean isWrite = step.verb() instanceof Verb.Write;
      writes |= isWrite;
      // A step that could not be made out may be the one that reads it.
      if (!isWrite
          && !(step.verb() instanceof Verb.Off)
          && !read.contains(step.name())
          && document.unsound().isEmpty()) {
        warn(
            step,
            "unused-step",
            step.place(),
            "Nothing reads step [%s], so it does not run; give it a write step, or remove it"
                .formatted(step.name()));
      } else if (isWrite && read.contains(step.name())) {
        PipelineDocument.Step reader =
            steps.values().stream()
                .filter(s -> s.inputs().stream().anyMatch(i -> i.text().equals(step.name())))
                .findFirst()
                .orElseThrow();
        Located at =
            reader.inputs().stream()
                .filter(i -> i.text().equals(step.name()))
                .findFirst()
                .orElseThrow();
        problems.add(
            PipelineDocument.error(
                reader.name(),
                at.field(),
                "reads-a-write",
                at.place(),
                "Step [%s] writes and gives no rows; read [%s] instead"
                    .formatted(
                        step.name(),
                        step.from().isEmpty() ? "its input" : step.from().get(0).text())));
      }
    }
    if (!writes && !steps.isEmpty() && document.unsound().isEmpty()) {
      problems.add(
          new Problem(
              Problem.Severity.ERROR,
              NO_WRITE,
              "",
              "steps",
              Place.START,
              "No step writes, so a run would do nothing; add one, as in publish: {from: last_step, write: {table: mart.name}}",
              Optional.empty()));
    }
    doubleWrites();
    if (!hasErrors()) {
      replacedFiles();
    }
  }

  private void replacedFiles() {
    for (PipelineDocument.Step step : document.steps().values()) {
      ReplacedFiles.complaint(this, catalog, step.name())
          .ifPresent(
              why ->
                  problems.add(
                      PipelineDocument.error(
                          step.name(), "write", "file-not-kept", step.place(), why)));
    }
  }

  private void doubleWrites() {
    Map<TableName, String> writers = new HashMap<>();
    for (PipelineDocument.Step step : document.steps().values()) {
      if (step.verb() instanceof Verb.Write w) {
        String other = writers.putIfAbsent(w.table(), step.name());
        if (other != null) {
          problems.add(
              PipelineDocument.error(
                  step.name(),
                  "write.table",
                  "double-write",
                  w.name().place(),
                  "Step [%s] writes [%s] too; stack the inputs and write them once"
                      .formatted(other, w.table())));
        }
      }
    }
  }

  /** Depth first; state 1 is on the path, 2 is done. */
  private void visit(
      String name, Map<String, Integer> state, StepCompiler compiler, List<String> path) {
    if (state.getOrDefault(name, 0) != 0) {
      return;
    }
    state.put(name, 1);
    path.add(name);
    PipelineDocument.Step step = document.steps().get(name);
    boolean sound = true;
    for (Located input : step.inputs()) {
      PipelineDocument.Step from = document.steps().get(input.text());
      if (from == null) {
        sound = false;
        if (document.unsound().contains(input.text())) {
          // It is there, and what is wrong with it is told where it stands.
          continue;
        }
        List<String> others = document.stepNames().stream().filter(n -> !n.equals(name)).toList();
        Optional<String> fix = Names.nearest(input.text(), others);
        problems.add(
            new Problem(
                Problem.Severity.ERROR,
                "unknown-step",
                name,
                input.field(),
                input.place(),
                "There is no step [%s]%s"
                    .formatted(
                        input.text(),
                        fix.map(f -> "; did you mean [%s]?".formatted(f))
                            .orElse(
                                others.isEmpty()
                                    ? ""
                                    : "; there are " + String.join(", ", others))),
                fix));
        continue;
      }
      if (state.getOrDefault(input.text(), 0) == 1) {
        sound = false;
        List<String> cycle = new ArrayList<>(path.subList(path.indexOf(input.text()), path.size()));
        cycle.add(input.text());
        problems.add(
            PipelineDocument.error(
                name,
                input.field(),
                "cycle",
                input.place(),
                "The steps go in a circle: %s; take one of these inputs out"
                    .formatted(String.join(" \u2190 ", cycle))));
        continue;
      }
      visit(input.text(), state, compiler, path);
      sound &= !failed.contains(input.text());
    }
    path.remove(path.size() - 1);
    state.put(name, 2);
    if (!sound || !compile(step, compiler)) {
      failed.add(name);
    }
  }

  private boolean compile(PipelineDocument.Step step, StepCompiler compiler) {
    Optional<Schema> read = Optional.empty();
    if (step.verb() instanceof Verb.ReadFeed r) {
      Optional<FeedDefinition> feed = catalog.feed(r.feed().text());
      read = feed.map(FeedDefinition::schema);
      if (feed.isEmpty()) {
        unknown(step, r.feed(), "feed", catalog.feeds(), "unknown-feed");
      }
    } else if (step.verb() instanceof Verb.ReadTable r) {
      try {
        read = catalog.table(r.table()).map(r::of).map(LakeTable::schema);
      } catch (LakeException e) {
        problems.add(
            PipelineDocument.error(
                step.name(), "read.table", "broken-table", r.name().place(), e.getMessage()));
        return false;
      }
      Optional<Catalog.Planned> planned =
          read.isEmpty() && r.asOf().isEmpty() ? catalog.planned(r.table()) : Optional.empty();
      if (planned.isPresent()) {
        read = planned.map(Catalog.Planned::schema);
        awaited.putIfAbsent(r.table(), planned.get().pipeline());
        warn(
            step,
            "not-there-yet",
            r.name().place(),
            "Table [%s] is not there yet; its columns are taken from pipeline [%s], which must run first"
                .formatted(r.table(), planned.get().pipeline()));
      } else if (read.isEmpty()) {
        unknown(
            step,
            r.name(),
            "table",
            catalog.tables().stream().map(TableName::toString).toList(),
            "unknown-table");
      }
    } else if (step.verb() instanceof Verb.CalendarDays days && days.holidays().isEmpty()) {
      read = Optional.of(Calendar.SCHEMA);
    } else {
      if (step.inputs().isEmpty()) {
        return false;
      }
      Optional<StepBody> body =
          compiler.compile(
              step,
              step.calledInputs(),
              step.inputs().stream().map(i -> schemas.get(i.text())).toList());
      body.ifPresent(b -> bodies.put(step.name(), b));
      read = body.map(StepBody::schema);
    }
    read.ifPresent(s -> schemas.put(step.name(), s));
    if (read.isPresent() && step.verb() instanceof Verb.Write write) {
      checkWrite(step, write);
    }
    return read.isPresent();
  }

  private void checkWrite(PipelineDocument.Step step, Verb.Write write) {
    PipelineDocument.Step from = document.steps().get(step.from().get(0).text());
    if (from != null
        && from.verb() instanceof Verb.Dimension dimension
        && (write.mode() != WriteMode.REPLACE || !write.table().equals(dimension.table()))) {
      problems.add(
          PipelineDocument.error(
              step.name(),
              "write",
              "not-the-dimension",
              write.name().place(),
              "Step [%s] gives all rows of [%s], so it is written whole and there: {table: %s, mode: replace}"
                  .formatted(from.name(), dimension.table(), dimension.table())));
    }
    for (Catalog.OtherWrite other : catalog.writers(write.table(), document.name())) {
      boolean theirs = other.mode() == WriteMode.REPLACE;
      if (theirs || write.mode() == WriteMode.REPLACE) {
        warn(
            step,
            "other-writer",
            write.name().place(),
            "Pipeline [%s] writes [%s] too, and %s replaces it whole: what one of them wrote is gone when the other runs; write to a table of its own, or let one of them write by key or partitions"
                .formatted(
                    other.pipeline(),
                    write.table(),
                    theirs && write.mode() == WriteMode.REPLACE
                        ? "each"
                        : theirs ? "that one" : "this one"));
      }
    }
    if (WriteCompiler.replaces(write)) {
      newOnlyFeeds(step)
          .forEach(
              feed ->
                  warn(
                      step,
                      "partial-replace",
                      write.name().place(),
                      "This replaces rows with those of new files only, since feed [%s] takes each file once; append to a raw table first, or set take: all in the feed"
                          .formatted(feed)));
    }
  }

  private List<String> newOnlyFeeds(PipelineDocument.Step step) {
    return behind(document, step.name()).stream()
        .filter(s -> s.verb() instanceof Verb.ReadFeed)
        .flatMap(s -> catalog.feed(((Verb.ReadFeed) s.verb()).feed().text()).stream())
        .filter(f -> f.intake().onlyNew())
        .map(FeedDefinition::name)
        .distinct()
        .toList();
  }

  private void unknown(
      PipelineDocument.Step step, Located at, String what, List<String> names, String code) {
    Optional<String> fix = Names.nearest(at.text(), names);
    String message =
        "There is no %s [%s]%s".formatted(what, at.text(), Names.instead(at.text(), names));
    problems.add(
        new Problem(
            Problem.Severity.ERROR, code, step.name(), at.field(), at.place(), message, fix));
  }

  private void warn(PipelineDocument.Step step, String code, Place place, String message) {
    problems.add(
        new Problem(
            Problem.Severity.WARNING, code, step.name(), "", place, message, Optional.empty()));
  }
}
