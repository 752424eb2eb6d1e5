package yardage.service.query;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Supplier;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.sql.SqlNode;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import yardage.core.column.Batch;
import yardage.core.column.Schema;
import yardage.core.document.Names;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Processors;
import yardage.core.exec.Sink;
import yardage.core.exec.StepFailedException;
import yardage.core.format.export.RowsWriter;
import yardage.core.lake.AsOf;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeException;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.ColumnImpact;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Analysis;
import yardage.core.sql.ColumnNames;
import yardage.core.sql.KeptPlans;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.sql.SqlProblem;
import yardage.core.sql.SqlProblemException;
import yardage.core.sql.UnsupportedSqlException;
import yardage.core.sql.View;
import yardage.core.star.model.StarModel;
import yardage.core.star.model.StarSql;
import yardage.core.star.model.StarTables;
import yardage.core.task.TaskEndpoints;
import yardage.core.view.ViewDocument;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.feeds.FeedService;
import yardage.service.lake.LakeService;
import yardage.service.looks.LookDesk;
import yardage.service.memory.EngineMemory;
import yardage.service.web.ApiException;

/** Runs queries. */
@Service
public class QueryService {
  private static final String QUERY = "query";

  private static final Pattern EXPLAIN =
      Pattern.compile("\\s*EXPLAIN\\b(?<run>\\s+ANALYZE\\b)?", Pattern.CASE_INSENSITIVE);
  private static final Pattern DESCRIBE =
      Pattern.compile(
          "\\s*(?:DESCRIBE|DESC)\\s+(?:TABLE\\s+)?([\\w.\"-]+)\\s*;?\\s*",
          Pattern.CASE_INSENSITIVE);
  private static final Pattern DESCRIBE_QUERY =
      Pattern.compile(
          "\\s*(?:DESCRIBE|DESC)\\b(?=\\s*(?:\\(|(?:SELECT|WITH|VALUES)\\b))",
          Pattern.CASE_INSENSITIVE);

  /** What may answer otherwise next time, though no table changed. */
  private static final Pattern CHANGING =
      Pattern.compile(
          "information_schema|current_(date|time|timestamp)|localtime|\\brand\\b|\\btablesample\\b",
          Pattern.CASE_INSENSITIVE);

  private static final Logger LOG = LoggerFactory.getLogger(QueryService.class);

  private final LakeService lake;
  private final LookDesk desk;
  private final FeedService feeds;
  private final DocumentStore documents;
  private final KeptPlans plans;

  QueryService(
      LakeService lake,
      LookDesk desk,
      FeedService feeds,
      DocumentStore documents,
      EngineMemory memory) {
    this.plans = new KeptPlans(memory.readCache());
    this.documents = documents;
    this.lake = lake;
    this.desk = desk;
    this.feeds = feeds;
  }

  /**
   * @param given values of the parameters, by name; of an empty one null
   */
  public ResultRows query(String sql, Map<String, Optional<String>> given, int limit) {
    return desk.look("query", sql, context -> collect(prepare(sql, given), limit, context));
  }

  /**
   * Rows, and what they are of.
   *
   * @param states where the metadata of each table that was read stood; empty when the rows may be
   *     others next time though no table changes: feeds were read, or the time was asked
   */
  public record Dated(ResultRows rows, Optional<Map<TableName, String>> states) {}

  /** The rows of a query, with the states of the tables that they are of. */
  public Dated dated(String sql, Map<String, Optional<String>> given, int limit) {
    Map<TableName, String> now = lake.states();
    return desk.look(
        "query",
        sql,
        context -> {
          Planned planned = planned(sql, given, now);
          return new Dated(
              collect(planned.query(), limit, context),
              planned.states().map(QueryService::byTable));
        });
  }

  /**
   * Checks a query without running it.
   *
   * @param gone columns that tables are taken not to have
   */
  public void check(
      String sql, Map<String, Optional<String>> given, Map<TableName, Set<String>> gone) {
    prepareOver(sql, given, without(relations(lake.asOfNow()), gone));
  }

  private static Map<String, Relation> without(
      Map<String, Relation> relations, Map<TableName, Set<String>> gone) {
    gone.forEach(
        (table, columns) ->
            relations.computeIfPresent(
                table.toString(),
                (n, r) -> new FewerColumns(r, ColumnImpact.without(r.schema(), columns))));
    return relations;
  }

  private static Map<TableName, String> byTable(Map<String, String> states) {
    Map<TableName, String> out = new LinkedHashMap<>();
    states.forEach((table, state) -> out.put(TableName.parse(table), state));
    return out;
  }

  /**
   * The states of the tables that were read; empty where the answer may change though they stay.
   */
  private static Optional<Map<String, String>> states(
      String sql, Map<String, Relation> relations, Map<String, String> now) {
    if (CHANGING.matcher(sql).find()) {
      return Optional.empty();
    }
    Map<String, String> out = new LinkedHashMap<>();
    for (Relation r : relations.values()) {
      if (r instanceof LazyFeed feed && feed.isRead()) {
        return Optional.empty();
      } else if (r instanceof View view && view.isRead() && CHANGING.matcher(view.sql()).find()) {
        return Optional.empty();
      } else if (r instanceof LazyTable table && table.isRead()) {
        out.put(table.name().toString(), now.get(table.name().toString()));
      }
    }
    return Optional.of(out);
  }

  /** As it was prepared before, where nothing that it reads has changed since. */
  PreparedQuery prepare(String sql, Map<String, Optional<String>> given) {
    return planned(sql, given, lake.states()).query();
  }

  /**
   * @param states of the tables that it reads; empty where rows may be others though no table
   *     changes
   */
  private record Planned(PreparedQuery query, Optional<Map<String, String>> states) {}

  private Planned planned(
      String sql, Map<String, Optional<String>> given, Map<TableName, String> now) {
    if (isTold(sql)) {
      return new Planned(prepareOver(sql, given, relations(lake.at(now))), Optional.empty());
    }
    Map<String, String> states = new HashMap<>();
    now.forEach((table, state) -> states.put(table.toString(), state));
    List<PreparedQuery> made = new ArrayList<>();
    KeptPlans.Made plan =
        plans.plan(
            new KeptPlans.Question(sql, given, definitions()),
            table -> Optional.ofNullable(states.get(table)),
            () -> {
              Map<String, Relation> relations = relations(lake.at(now));
              made.add(prepareOver(sql, given, relations));
              return new KeptPlans.Made(made.get(0).plan(), states(sql, relations, states));
            });
    // A plan that was kept reads no feed.
    return new Planned(made.isEmpty() ? over(plan.plan(), List.of()) : made.get(0), plan.states());
  }

  /** Whether a text asks what a query would do, or for columns. */
  private static boolean isTold(String sql) {
    return EXPLAIN.matcher(sql).lookingAt()
        || DESCRIBE.matcher(sql).matches()
        || DESCRIBE_QUERY.matcher(sql).lookingAt();
  }

  /** All texts by which a query can mean something else though no table changes. */
  private List<String> definitions() {
    return Stream.of(DocumentStore.Kind.VIEW, DocumentStore.Kind.STAR)
        .flatMap(kind -> documents.latest(kind).stream())
        .map(StoredDocument::text)
        .toList();
  }

  private PreparedQuery over(PlanNode plan, List<LazyFeed> feeds) {
    return new PreparedQuery(
        plan, QUERY, feeds, TaskEndpoints.reading(lake.lake()), Optional.empty());
  }

  /** All that a query can name. */
  private Map<String, Relation> relations(Lake now) {
    Map<String, Relation> relations = tablesOf(now);
    for (String name : feeds.feeds()) {
      relations.put(Names.inFrom("feed", name), new LazyFeed(name, feeds, lake));
    }
    documents.latest(DocumentStore.Kind.VIEW).stream()
        .flatMap(d -> ViewDocument.parse(d.text()).document().stream())
        .forEach(v -> relations.put(v.inFrom(), view(v, relations)));
    Catalogue.of(relations).forEach(relations::putIfAbsent);
    return relations;
  }

  private View view(ViewDocument document, Map<String, Relation> relations) {
    return new View(
        document.name(),
        document.sql().text(),
        view -> {
          if (!document.parameters().isEmpty()) {
            throw new UnsupportedSqlException(
                "it asks for values (:%s), and a query that names it has none to give"
                    .formatted(String.join(", :", document.parameters())));
          }
          PlanSession session = new PlanSession();
          SqlNode parsed = session.parseQuery(view.sql(), 1, 1);
          RelNode rel =
              new StarSql(stars(), new Tables(relations)).plan(session, parsed, relations);
          return ColumnNames.of(parsed, view.sql())
              .in(session.physical().plan(session.optimize(rel), QUERY))
              .schema();
        });
  }

  /**
   * Checks a view without running it, as if it were kept already.
   *
   * @return its columns
   * @throws ApiException when its query is wrong, or reads itself
   */
  public Schema check(ViewDocument document) {
    Map<String, Relation> relations = relations(lake.asOfNow());
    relations.put(document.inFrom(), view(document, relations));
    Map<String, Optional<String>> given = new LinkedHashMap<>();
    document.parameters().forEach(p -> given.put(p, Optional.empty()));
    return prepareOver(document.sql().text(), given, relations).plan().schema();
  }

  private PreparedQuery prepareOver(
      String sql, Map<String, Optional<String>> given, Map<String, Relation> relations) {
    try {
      return prepare(sql, given, relations);
    } catch (SqlProblemException e) {
      throw wrong(e.problem());
    } catch (UnsupportedSqlException e) {
      throw wrong(new SqlProblem(1, 1, 1, 1, e.getMessage(), Optional.empty()));
    }
  }

  ResultRows run(String sql, Map<String, Relation> relations, int limit) {
    return desk.look(
        "query", sql, context -> collect(prepare(sql, Map.of(), relations), limit, context));
  }

  private PreparedQuery prepare(
      String sql, Map<String, Optional<String>> given, Map<String, Relation> relations) {
    PlanSession session = new PlanSession();
    Matcher describe = DESCRIBE.matcher(sql);
    if (describe.matches()) {
      return told(Told.columns(describe.group(1).replace("\"", ""), relations, QUERY));
    }
    Matcher explain = EXPLAIN.matcher(sql);
    boolean explains = explain.lookingAt();
    Matcher columns = DESCRIBE_QUERY.matcher(sql);
    boolean onlyColumns = columns.lookingAt();
    int begin = explains ? explain.end() : onlyColumns ? columns.end() : 0;
    // Blanks in their place keep the places of mistakes.
    String query = sql.substring(0, begin).replaceAll("\\S", " ") + sql.substring(begin);
    StarSql stars = new StarSql(stars(), new Tables(relations));
    SqlNode parsed =
        session.parseQuery(query, given, q -> stars.named(new PlanSession(), q, relations));
    ColumnNames names = ColumnNames.of(parsed, query);
    RelNode rel = stars.plan(session, parsed, relations);
    List<LazyFeed> feeds =
        relations.values().stream()
            .filter(LazyFeed.class::isInstance)
            .map(LazyFeed.class::cast)
            .toList();
    if (explains && explain.group("run") != null) {
      Analysis analysis = session.analysis(rel, QUERY);
      return new PreparedQuery(
          analysis.plan(), QUERY, feeds, TaskEndpoints.reading(lake.lake()), Optional.of(analysis));
    }
    if (explains) {
      return told(Told.plan(session.explain(rel), QUERY));
    }
    PlanNode plan = names.in(session.physical().plan(session.optimize(rel), QUERY));
    if (onlyColumns) {
      return told(Told.columns(plan.schema(), QUERY));
    }
    return over(plan, feeds);
  }

  private PreparedQuery told(PlanNode rows) {
    return new PreparedQuery(
        rows, QUERY, List.of(), TaskEndpoints.reading(lake.lake()), Optional.empty());
  }

  private List<StarModel> stars() {
    return documents.latest(DocumentStore.Kind.STAR).stream()
        .flatMap(d -> StarModel.parse(d.text()).model().stream())
        .toList();
  }

  /** All tables, and queries over them, for looking at stars. */
  public StarTables tables() {
    return tables(Map.of());
  }

  /**
   * All tables, for looking at stars.
   *
   * @param gone columns that they are taken not to have
   */
  public StarTables tables(Map<TableName, Set<String>> gone) {
    return new Tables(without(lakeTables(), gone));
  }

  /** All tables, of one moment. */
  private Map<String, Relation> lakeTables() {
    return tablesOf(lake.asOfNow());
  }

  private static Map<String, Relation> tablesOf(Lake now) {
    Map<String, Relation> relations = new LinkedHashMap<>();
    now.tables().forEach(n -> relations.put(n.toString(), new LazyTable(n, now)));
    return relations;
  }

  private final class Tables implements StarTables {
    private final Map<String, Relation> relations;

    Tables(Map<String, Relation> relations) {
      this.relations = relations;
    }

    @Override
    public Optional<Relation> table(TableName name) {
      return Optional.ofNullable(relations.get(name.toString()));
    }

    @Override
    public List<List<Object>> query(String sql) {
      return desk.look(
          "look at a star",
          sql,
          context ->
              rows(
                  QueryService.this.prepare(sql, Map.of(), relations), Integer.MAX_VALUE, context));
    }
  }

  public ResultRows sample(LakeTable table, int rows) {
    return desk.look(
        "sample", table.name().toString(), context -> collect(prepare(table), rows, context));
  }

  PreparedQuery prepare(LakeTable table) {
    int[] all = table.schema().ordinals();
    return new PreparedQuery(
        new TableRelation(table).read(all, List.of(), "sample"),
        "sample",
        List.of(),
        TaskEndpoints.reading(lake.lake()),
        Optional.empty());
  }

  /**
   * A table by its name.
   *
   * @throws ApiException when there is none
   */
  public static LakeTable table(LakeService lake, String name) {
    try {
      return lake.lake()
          .table(TableName.parse(name))
          .orElseThrow(() -> ApiException.notFound("table", name, lake.names()));
    } catch (IllegalArgumentException e) {
      throw new ApiException(
          HttpStatus.NOT_FOUND, "not-found", e.getMessage(), "List the tables to see their names");
    }
  }

  /** A table as it is, or as it was. */
  public LakeTable table(String name, Optional<String> asOf) {
    LakeTable now = table(lake, name);
    try {
      return asOf.map(text -> AsOf.parse(text).of(now)).orElse(now);
    } catch (IllegalArgumentException | LakeException e) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "no-snapshot",
          e.getMessage(),
          "See the snapshots with: yardage table show " + name);
    }
  }

  /** Makes a writer once rows are on their way. */
  interface Destination {
    RowsWriter open(Schema schema) throws IOException;
  }

  /**
   * What an export came to.
   *
   * @param notes what it leaves out, such as rows of a feed's files that do not fit
   */
  record Exported(long rows, List<String> notes) {}

  /** Writes all rows, in order and in bounded memory. */
  Exported stream(String what, Supplier<PreparedQuery> plan, Destination to) throws IOException {
    try {
      return desk.look(
          "export",
          what,
          1,
          one -> {
            try {
              return stream(plan.get(), to, one);
            } catch (IOException e) {
              throw new UncheckedIOException(e);
            }
          });
    } catch (UncheckedIOException e) {
      throw e.getCause();
    }
  }

  private Exported stream(PreparedQuery asked, Destination to, ExecutionContext one)
      throws IOException {
    PreparedQuery rows = asked.run(one);
    RowsWriter[] writer = new RowsWriter[1];
    long[] written = new long[1];
    try {
      Sink sink =
          worker ->
              batch ->
                  // Whoever reads may be slow, and others may compute meanwhile.
                  Processors.away(
                      () -> {
                        try {
                          if (writer[0] == null) {
                            writer[0] = to.open(rows.plan().schema());
                          }
                          writer[0].write(batch);
                          written[0] += batch.rowCount();
                        } catch (IOException e) {
                          throw new UncheckedIOException(e);
                        }
                      });
      rows.executor(one).run(rows.plan(), sink, rows.step());
    } catch (StepFailedException e) {
      throw e.reason() instanceof UncheckedIOException io ? io : ShownRows.refusal(e);
    }
    if (writer[0] == null) {
      writer[0] = to.open(rows.plan().schema());
    }
    writer[0].finish();
    rows.notes().forEach(n -> LOG.info("An export left out: {}", n));
    return new Exported(written[0], rows.notes());
  }

  private static ApiException wrong(SqlProblem p) {
    Place place = new Place(p.line(), p.column(), p.endLine(), p.endColumn());
    return ApiException.invalidDocument(
        "query",
        List.of(
            new Problem(Problem.Severity.ERROR, "wrong-sql", "", "", place, p.message(), p.fix())));
  }

  private ResultRows collect(PreparedQuery asked, int limit, ExecutionContext context) {
    long start = System.nanoTime();
    PreparedQuery prepared = asked.run(context);
    List<List<Object>> rows = rows(prepared, limit + 1, context);
    return new ResultRows(
        prepared.columns(),
        ShownRows.shown(rows.subList(0, Math.min(limit, rows.size()))),
        rows.size() > limit,
        (System.nanoTime() - start) / 1_000_000,
        prepared.notes());
  }

  private List<List<Object>> rows(PreparedQuery prepared, int most, ExecutionContext context) {
    long enough = most == Integer.MAX_VALUE ? Long.MAX_VALUE : most;
    List<List<Object>> out = new ArrayList<>();
    try {
      for (Batch batch :
          prepared.executor(context).collect(prepared.plan(), prepared.step(), enough)) {
        for (int r = 0; r < batch.rowCount() && out.size() < most; r++) {
          out.add(batch.row(r));
        }
      }
      return out;
    } catch (StepFailedException e) {
      throw ShownRows.refusal(e);
    }
  }
}
