package yardage.core.sql;

import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Properties;
import java.util.TreeMap;
import java.util.function.Function;
import org.apache.calcite.config.CalciteConnectionConfigImpl;
import org.apache.calcite.config.CalciteConnectionProperty;
import org.apache.calcite.jdbc.CalciteSchema;
import org.apache.calcite.plan.RelOptCluster;
import org.apache.calcite.plan.RelOptUtil;
import org.apache.calcite.plan.hep.HepPlanner;
import org.apache.calcite.plan.hep.HepProgram;
import org.apache.calcite.prepare.CalciteCatalogReader;
import org.apache.calcite.rel.RelHomogeneousShuttle;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Aggregate;
import org.apache.calcite.rel.core.AggregateCall;
import org.apache.calcite.rel.core.Join;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.core.RelFactories;
import org.apache.calcite.rel.core.TableScan;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.rel.type.RelDataTypeFactory;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexOver;
import org.apache.calcite.schema.SchemaPlus;
import org.apache.calcite.schema.impl.AbstractSchema;
import org.apache.calcite.sql.JoinConditionType;
import org.apache.calcite.sql.JoinType;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlJoin;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlLiteral;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.SqlSelect;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlBasicVisitor;
import org.apache.calcite.sql.validate.SqlValidator;
import org.apache.calcite.sql2rel.SqlToRelConverter;
import org.apache.calcite.tools.RelBuilder;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;

/**
 * Plans one query, or the steps of one pipeline, which then share types and can be joined into one
 * plan. Not thread-safe; cheap to make.
 */
public final class PlanSession {
  private final RelDataTypeFactory typeFactory = SqlTypes.factory();
  private final RelOptCluster cluster;
  private final RexBuilder rexBuilder;
  private final Instant now;

  public PlanSession() {
    this(Instant.now());
  }

  /**
   * @param now the time that all queries take for the present one
   */
  public PlanSession(Instant now) {
    this.now = now;
    rexBuilder = new OwnCasts(typeFactory);
    HepPlanner planner = new HepPlanner(HepProgram.builder().build());
    planner.setExecutor(OwnCasts.NOTHING_COMPUTED);
    cluster = RelOptCluster.create(planner, rexBuilder);
  }

  /** A name as a query writes it, whatever is in it. */
  public static String quoted(String name) {
    return '"' + name.replace("\"", "\"\"") + '"';
  }

  /** Whether a name has to be quoted, since it is a word of the language. */
  public static boolean isWordOfSql(String name) {
    return ParseMistakes.isReserved(name);
  }

  /** A text as a query writes it. */
  public static String constant(String text) {
    return "'" + text.replace("'", "''") + "'";
  }

  /** Relations by name: a plain name, or a namespace, a dot and a name. */
  public record Scope(Map<String, Relation> relations) {
    public Scope {
      relations = new LinkedHashMap<>(relations);
    }
  }

  /** A planned query: its algebra and the columns that it gives. */
  public record Planned(RelNode rel, Schema schema) {}

  /**
   * Parses a query whose first character stands at a line and column of a larger text, so that
   * problems name places there.
   *
   * @throws SqlProblemException when it is not SQL
   */
  public SqlNode parseQuery(String sql, int line, int column) {
    return SqlParsing.query(sql, line, column);
  }

  /** As {@link #parseQuery}, for one expression. */
  public SqlNode parseExpression(String sql, int line, int column) {
    return SqlParsing.expression(sql, line, column);
  }

  /**
   * As {@link #parseQuery}, with the values of its parameters ({@code :name}) as constants.
   *
   * @param given values by name; of an empty one null
   * @param naming what the query is over the relations that it names: parameters have the types of
   *     what stands beside them
   * @throws SqlProblemException also where a value is missing, is for nothing, or is none of its
   *     type
   */
  public SqlNode parseQuery(
      String sql, Map<String, Optional<String>> given, Function<SqlNode, Named> naming) {
    QueryParameters parameters = QueryParameters.of(sql);
    SqlNode query = parseQuery(parameters.sql(), 1, 1);
    parameters.check(query, given);
    if (parameters.names().isEmpty()) {
      return query;
    }
    // Validation writes into the query that it is given.
    SqlNode again = parseQuery(parameters.sql(), 1, 1);
    return parameters.bound(again, parameterTypes(naming.apply(query)), given, this);
  }

  /** A query, and the relations that its names are. */
  public record Named(SqlNode query, Scope scope) {}

  private RelDataType parameterTypes(Named named) {
    SqlNode query = named.query();
    Scope scope = named.scope();
    try {
      TimeTravel.Resolved resolved = TimeTravel.resolve(query, scope);
      SqlValidator validator = validator(catalog(resolved.scope()));
      return validator.getParameterRowType(
          validator.validate(NestedFunctions.inPlace(resolved.query())));
    } catch (RuntimeException e) {
      throw told(e, query, scope);
    }
  }

  /** What the library says of a query, in plain words. */
  private static SqlProblemException told(Throwable e, SqlNode query, Scope scope) {
    return new SqlProblemException(
        SqlMessages.problem(
            e,
            query,
            VisibleColumns.of(query, scope),
            scope.relations().keySet().stream().sorted().toList()),
        e);
  }

  private SqlValidator validator(CalciteCatalogReader catalog) {
    return new OwnValidator(
        catalog,
        typeFactory,
        SqlValidator.Config.DEFAULT
            .withTypeCoercionFactory(NoCoercion::new)
            .withConformance(Conformance.INSTANCE)
            .withIdentifierExpansion(true));
  }

  /** A constant as a query has it. */
  public SqlNode constant(Literal literal, SqlParserPos pos) {
    Object value = literal.column(1).value(0);
    String text = Values.text(value);
    return switch (literal.type().kind()) {
      case VARCHAR -> SqlLiteral.createCharString(text, "UTF8", pos);
      case DATE, TIME, TIMESTAMP ->
          parseExpression(
              "%s '%s'".formatted(literal.type(), text), pos.getLineNum(), pos.getColumnNum());
      case TIMESTAMP_TZ, UUID, BINARY, FLOAT ->
          parseExpression(
              "CAST('%s' AS %s)".formatted(text, SqlTypes.written(literal.type())),
              pos.getLineNum(),
              pos.getColumnNum());
      case BOOLEAN -> SqlLiteral.createBoolean((Boolean) value, pos);
      case DOUBLE -> SqlLiteral.createApproxNumeric(text, pos);
      default -> SqlLiteral.createExactNumeric(text, pos);
    };
  }

  /**
   * Validates a parsed query against relations and turns it into algebra.
   *
   * @throws SqlProblemException when a name or a type is wrong
   */
  public Planned plan(SqlNode query, Scope scope) {
    return SqlSize.within(
        line(query),
        column(query),
        () -> {
          TimeTravel.Resolved resolved = TimeTravel.resolve(query, scope);
          return planNow(resolved.query(), resolved.scope());
        });
  }

  private Planned planNow(SqlNode query, Scope scope) {
    try {
      CalciteCatalogReader catalog = catalog(scope);
      SqlValidator validator = validator(catalog);
      SqlToRelConverter converter =
          new SqlToRelConverter(
              (rowType, queryString, schemaPath, viewPath) -> {
                throw new UnsupportedOperationException("views");
              },
              validator,
              catalog,
              cluster,
              Convertlets.INSTANCE,
              SqlToRelConverter.config()
                  .withTrimUnusedFields(false)
                  .withExpand(false)
                  // What is folded too early loses that it may be null; see Constants.
                  .withRelBuilderConfigTransform(
                      c -> c.withPushJoinCondition(true).withSimplify(false))
                  .withHintStrategyTable(JoinOrder.HINTS)
                  .withInSubQueryThreshold(Integer.MAX_VALUE));
      Shapes.refuseUnordered(query);
      SqlNode valid = validator.validate(NestedFunctions.inPlace(query));
      UnlikeTypes.refuse(valid, validator);
      Shapes.refuse(valid, validator);
      RelNode rel = RecursiveRel.inPlace(converter.convertQuery(valid, false, true).project());
      Constants constants = new Constants(rexBuilder, now);
      rel = constants.in(rel).accept(new Subqueries(builder())).accept(new Simpler(rexBuilder));
      rel = constants.in(rel);
      Refusals.check(valid, rel, rexBuilder);
      if (Intervals.isIn(rel.getRowType())) {
        throw beginning(
            valid,
            "An interval is no column; make it a number, as in CAST((a - b) MINUTE AS int)",
            null);
      }
      return new Planned(rel, SqlTypes.schema(rel.getRowType()));
    } catch (SqlProblemException e) {
      throw e;
    } catch (View.BrokenException e) {
      throw SqlProblemException.at(
          placeOf(e.view(), query, scope), e.getMessage(), Optional.empty(), e);
    } catch (RuntimeException | AssertionError e) {
      if (e instanceof UnsupportedSqlException) {
        throw beginning(query, e.getMessage(), e);
      }
      if (e instanceof IllegalArgumentException
          && e.getMessage() != null
          && e.getMessage().startsWith("Column [")) {
        throw beginning(query, e.getMessage() + "; give one of them another name with AS", e);
      }
      throw told(e, query, scope);
    }
  }

  /**
   * Compiles one expression over the columns of a schema.
   *
   * @throws SqlProblemException when it is no expression, or reads more than the row it stands for
   */
  public Expression expression(String sql, int line, int column, Schema schema) {
    return expression(parseExpression(sql, line, column), line, column, schema);
  }

  /** As {@link #expression(String, int, int, Schema)}, for an expression that is parsed. */
  public Expression expression(SqlNode node, int line, int column, Schema schema) {
    SqlNode query = select(List.of(node), new SqlIdentifier("row", SqlParserPos.ZERO), null, null);
    Planned planned = plan(query, new Scope(Map.of("row", new Columns(schema))));
    if (planned.rel() instanceof Project project
        && project.getInput() instanceof TableScan
        && project.getProjects().stream().noneMatch(RexOver::containsOver)) {
      return new RexTranslator(rexBuilder).translate(project.getProjects().get(0));
    }
    throw SqlProblemException.at(
        new SqlParserPos(line, column),
        "The condition may read only its own row, without aggregates and queries");
  }

  /**
   * Whether a condition of aggregates, which is known to be sound, holds for no rows at all: counts
   * are 0 then and other aggregates null.
   */
  public boolean holdsForNothing(SqlNode condition, Schema schema) {
    SqlNode query =
        select(List.of(condition), new SqlIdentifier("row", SqlParserPos.ZERO), null, null);
    RelNode rel = plan(query, new Scope(Map.of("row", new Columns(schema)))).rel();
    if (!(rel instanceof Project project && project.getInput() instanceof Aggregate aggregate)) {
      return true;
    }
    List<Column> totals = new ArrayList<>();
    for (AggregateCall call : aggregate.getAggCallList()) {
      Type type = SqlTypes.fromSql(call.getType());
      boolean counts = call.getAggregation().getKind() == SqlKind.COUNT;
      totals.add(Literal.of(type, counts ? 0L : null).column(1));
    }
    return Boolean.TRUE.equals(
        new RexTranslator(rexBuilder)
            .translate(project.getProjects().get(0))
            .evaluate(new Batch(totals, 1, 0))
            .value(0));
  }

  /**
   * Compiles a condition over the columns of two inputs, the left one's first, as a join has it.
   *
   * @throws SqlProblemException when it is none, or names a column that both have without saying
   *     whose
   */
  public RexNode joinCondition(
      SqlNode condition, String left, Schema leftSchema, String right, Schema rightSchema) {
    SqlNode from =
        new SqlJoin(
            SqlParserPos.ZERO,
            new SqlIdentifier(left, SqlParserPos.ZERO),
            SqlLiteral.createBoolean(false, SqlParserPos.ZERO),
            JoinType.COMMA.symbol(SqlParserPos.ZERO),
            new SqlIdentifier(right, SqlParserPos.ZERO),
            JoinConditionType.NONE.symbol(SqlParserPos.ZERO),
            null);
    SqlNode query = select(List.of(condition), from, null, null);
    Planned planned =
        plan(
            query,
            new Scope(Map.of(left, new Columns(leftSchema), right, new Columns(rightSchema))));
    if (planned.rel() instanceof Project project
        && project.getInput() instanceof Join
        && planned.schema().field(0).type().kind() == Type.Kind.BOOLEAN) {
      return project.getProjects().get(0);
    }
    throw beginning(
        condition,
        "This must be a condition over the columns of both sides, without aggregates and queries",
        null);
  }

  /**
   * The rows of a relation that meet a condition over its columns.
   *
   * @param name by which the condition may call the relation
   * @throws SqlProblemException when it is none
   */
  public RelNode where(SqlNode condition, String name, Relation relation) {
    SqlNode query =
        select(
            List.of(SqlIdentifier.star(SqlParserPos.ZERO)),
            new SqlIdentifier(name, SqlParserPos.ZERO),
            condition,
            null);
    return plan(query, new Scope(Map.of(name, relation))).rel();
  }

  /**
   * What an expression gives over a relation: a row for each of its rows, or one of all of them
   * where it aggregates.
   *
   * @param name by which the expression may call the relation
   * @throws SqlProblemException when it is none
   */
  public Planned valueOf(SqlNode expression, String name, Relation relation) {
    SqlNode query =
        select(List.of(expression), new SqlIdentifier(name, SqlParserPos.ZERO), null, null);
    return plan(query, new Scope(Map.of(name, relation)));
  }

  /** A query of one level. */
  public static SqlSelect select(
      List<SqlNode> items, SqlNode from, SqlNode where, SqlNodeList groupBy) {
    return new SqlSelect(
        SqlParserPos.ZERO,
        null,
        new SqlNodeList(items, SqlParserPos.ZERO),
        from,
        where,
        groupBy,
        null,
        null,
        null,
        null,
        null,
        null,
        null);
  }

  /** Of all of a query, at its first character. */
  private static SqlProblemException beginning(SqlNode node, String message, Throwable cause) {
    return SqlProblemException.at(
        new SqlParserPos(line(node), column(node)), message, Optional.empty(), cause);
  }

  private static int line(SqlNode node) {
    SqlParserPos pos = node.getParserPosition();
    return Math.max(1, pos.getLineNum());
  }

  private static int column(SqlNode node) {
    return Math.max(1, node.getParserPosition().getColumnNum());
  }

  public RelBuilder builder() {
    return RelFactories.LOGICAL_BUILDER.create(cluster, null);
  }

  /** A leaf that reads a relation. */
  public RelNode scan(String name, Relation relation) {
    CalciteCatalogReader catalog = catalog(new Scope(Map.of(name, relation)));
    return org.apache.calcite.rel.logical.LogicalTableScan.create(
        cluster, catalog.getTable(path(name)), List.of());
  }

  /** Where a query names a view. */
  private static SqlParserPos placeOf(View view, SqlNode query, Scope scope) {
    SqlParserPos[] found = {query.getParserPosition()};
    query.accept(
        new SqlBasicVisitor<Void>() {
          @Override
          public Void visit(SqlIdentifier id) {
            scope.relations().entrySet().stream()
                .filter(e -> e.getValue() == view && e.getKey().equalsIgnoreCase(id.toString()))
                .forEach(e -> found[0] = id.getParserPosition());
            return null;
          }
        });
    return found[0];
  }

  /** The names of the parameters that a query asks for, each once. */
  public static List<String> parameters(String sql) {
    return QueryParameters.of(sql).names().stream().distinct().toList();
  }

  /**
   * Puts algebra in the place of the views that are read.
   *
   * @param plan the algebra of a view, over this session's types
   */
  public static RelNode inlineViews(RelNode rel, Function<View, RelNode> plan) {
    return rel.accept(
        new RelHomogeneousShuttle() {
          @Override
          public RelNode visit(TableScan scan) {
            Relation relation = scan.getTable().unwrap(RelationTable.class).relation();
            return relation instanceof View view
                ? RelOptUtil.createCastRel(plan.apply(view), scan.getRowType(), true)
                : scan;
          }
        });
  }

  /** Puts algebra in the place of the leaves that read the relations of those names. */
  public static RelNode inline(RelNode rel, Map<String, RelNode> byName) {
    return rel.accept(
        new RelHomogeneousShuttle() {
          @Override
          public RelNode visit(TableScan scan) {
            RelNode with = byName.get(String.join(".", scan.getTable().getQualifiedName()));
            return with == null ? scan : with;
          }
        });
  }

  /** As {@link #optimize}, but keeps all columns, for those who look at them on the way. */
  public RelNode optimizeWhole(RelNode rel) {
    return rewrites().rewritten(rel);
  }

  private PlanRewrites rewrites() {
    return new PlanRewrites(builder());
  }

  /**
   * Optimises a query: pushes filters down, merges projections, trims columns, and takes out what
   * stands there more than once.
   */
  public RelNode optimize(RelNode rel) {
    return SqlSize.within(
        1,
        1,
        () ->
            SharedParts.apart(
                rewrites().rewritten(rel), builder(), part -> rewrites().finished(part)));
  }

  /** As {@link #optimize}, of steps, each of which has an account of all that it reads. */
  public RelNode optimizeSteps(RelNode rel) {
    return SqlSize.within(1, 1, () -> rewrites().finished(rewrites().rewritten(rel)));
  }

  /**
   * A line of a plan.
   *
   * @param expected about how many rows come out
   */
  public record PlanLine(String text, long expected) {}

  /** What a query would do, in words: a line for each thing, with what it needs below it. */
  public List<PlanLine> explain(RelNode rel) {
    return PlanText.lines(optimize(rel)).stream()
        .map(l -> new PlanLine(l.text(), l.expected()))
        .toList();
  }

  /** A query that counts what its parts do. */
  public Analysis analysis(RelNode rel, String step) {
    return new Analysis(optimize(rel), physical(), step);
  }

  public PhysicalPlanner physical() {
    return new PhysicalPlanner(rexBuilder);
  }

  private static List<String> path(String name) {
    int dot = name.indexOf('.');
    return dot < 0 ? List.of(name) : List.of(name.substring(0, dot), name.substring(dot + 1));
  }

  private CalciteCatalogReader catalog(Scope scope) {
    CalciteSchema root = CalciteSchema.createRootSchema(false, false);
    SchemaPlus plus = root.plus();
    Map<String, Map<String, org.apache.calcite.schema.Table>> namespaces = new TreeMap<>();
    scope
        .relations()
        .forEach(
            (name, relation) -> {
              List<String> path = path(name);
              if (path.size() == 1) {
                plus.add(name, new RelationTable(relation));
              } else {
                namespaces
                    .computeIfAbsent(path.get(0), n -> new TreeMap<>())
                    .put(path.get(1), new RelationTable(relation));
              }
            });
    namespaces.forEach(
        (namespace, tables) ->
            plus.add(
                namespace,
                new AbstractSchema() {
                  @Override
                  protected Map<String, org.apache.calcite.schema.Table> getTableMap() {
                    return tables;
                  }
                }));
    Properties properties = new Properties();
    properties.setProperty(CalciteConnectionProperty.CASE_SENSITIVE.camelName(), "false");
    return new CalciteCatalogReader(
        root, new ArrayList<>(), typeFactory, new CalciteConnectionConfigImpl(properties));
  }
}
