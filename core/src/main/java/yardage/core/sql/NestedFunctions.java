package yardage.core.sql;

import java.util.Arrays;
import java.util.List;
import java.util.stream.Stream;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.sql.SqlAggFunction;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlFunction;
import org.apache.calcite.sql.SqlFunctionCategory;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlLiteral;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.SqlOperator;
import org.apache.calcite.sql.SqlOperatorBinding;
import org.apache.calcite.sql.SqlOperatorTable;
import org.apache.calcite.sql.SqlSelectKeyword;
import org.apache.calcite.sql.SqlSyntax;
import org.apache.calcite.sql.fun.SqlBasicAggFunction;
import org.apache.calcite.sql.fun.SqlCase;
import org.apache.calcite.sql.fun.SqlLibraryOperators;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.type.OperandTypes;
import org.apache.calcite.sql.type.ReturnTypes;
import org.apache.calcite.sql.type.SqlOperandCountRanges;
import org.apache.calcite.sql.type.SqlOperandTypeChecker;
import org.apache.calcite.sql.type.SqlTypeFamily;
import org.apache.calcite.sql.type.SqlTypeName;
import org.apache.calcite.sql.util.SqlOperatorTables;
import org.apache.calcite.sql.util.SqlShuttle;
import org.apache.calcite.sql.validate.SqlNameMatcher;
import org.apache.calcite.util.Optionality;
import yardage.core.column.Type;
import yardage.core.expr.ExpressionException;
import yardage.core.expr.Literal;
import yardage.core.expr.TextParts;
import yardage.core.plan.AggregateFunction;

/**
 * Functions beside those of the standard: {@code JSON_TEXT(value)} and {@code XML_TEXT(value,
 * 'element')} write any value, {@code PARSE_JSON(text, 'type')} and {@code PARSE_XML(text, 'type')}
 * read a text as a value of a type that is written as in feeds, and {@code TYPE_OF_JSON(text)} and
 * {@code TYPE_OF_XML(text)} say what type that could be. {@code SPLIT_TEXT(text, separator)} cuts a
 * text into a list, {@code JOIN_TEXT(separator, …)} puts texts and lists of them together, and
 * {@code REGEXP_LIKE(text, pattern)} says whether a pattern is found.
 */
final class NestedFunctions {
  static final String JSON_TEXT = "JSON_TEXT";
  static final String XML_TEXT = "XML_TEXT";
  static final String PARSE_JSON = "PARSE_JSON";
  static final String PARSE_XML = "PARSE_XML";
  static final String JSON_TYPE = "TYPE_OF_JSON";
  static final String XML_TYPE = "TYPE_OF_XML";

  /** Runs of blanks, tabs and line ends to one blank, and none at the ends. */
  static final String COLLAPSE = "COLLAPSE_BLANKS";

  /** Letters and digits in lower case, without accents; anything else is one blank. */
  static final String PLAIN = "PLAIN_TEXT";

  static final String SPLIT = "SPLIT_TEXT";
  static final String JOIN = "JOIN_TEXT";
  static final String MATCHES = "REGEXP_LIKE";

  static final String PERCENTILE = "PERCENTILE";

  private NestedFunctions() {}

  static final List<SqlOperator> ALL =
      List.of(
          text(JSON_TEXT, OperandTypes.ANY),
          text(XML_TEXT, OperandTypes.sequence(XML_TEXT, OperandTypes.ANY, OperandTypes.CHARACTER)),
          text(JSON_TYPE, OperandTypes.CHARACTER),
          text(XML_TYPE, OperandTypes.CHARACTER),
          text(COLLAPSE, OperandTypes.CHARACTER),
          text(PLAIN, OperandTypes.CHARACTER),
          parse(PARSE_JSON),
          parse(PARSE_XML),
          new SqlFunction(
              SPLIT,
              SqlKind.OTHER_FUNCTION,
              b -> nullable(b, SqlTypes.toSql(Type.list(Type.VARCHAR), b.getTypeFactory())),
              null,
              OperandTypes.or(
                  OperandTypes.family(SqlTypeFamily.CHARACTER, SqlTypeFamily.CHARACTER),
                  OperandTypes.family(
                      SqlTypeFamily.CHARACTER, SqlTypeFamily.CHARACTER, SqlTypeFamily.INTEGER)),
              SqlFunctionCategory.USER_DEFINED_FUNCTION),
          new SqlFunction(
              JOIN,
              SqlKind.OTHER_FUNCTION,
              b -> nullable(b, b.getTypeFactory().createSqlType(SqlTypeName.VARCHAR)),
              null,
              OperandTypes.variadic(SqlOperandCountRanges.from(2)),
              SqlFunctionCategory.USER_DEFINED_FUNCTION),
          new SqlFunction(
              MATCHES,
              SqlKind.OTHER_FUNCTION,
              NestedFunctions::matchesType,
              null,
              OperandTypes.family(SqlTypeFamily.CHARACTER, SqlTypeFamily.CHARACTER),
              SqlFunctionCategory.USER_DEFINED_FUNCTION),
          SqlBasicAggFunction.create(
                  "FIRST_OF",
                  SqlKind.FIRST_VALUE,
                  ReturnTypes.ARG0_NULLABLE_IF_EMPTY,
                  OperandTypes.ANY)
              .withGroupOrder(Optionality.MANDATORY),
          SqlBasicAggFunction.create(
                  "LAST_OF",
                  SqlKind.LAST_VALUE,
                  ReturnTypes.ARG0_NULLABLE_IF_EMPTY,
                  OperandTypes.ANY)
              .withGroupOrder(Optionality.MANDATORY),
          SqlBasicAggFunction.create(
                  "LIST_OF", SqlKind.ARRAY_AGG, ReturnTypes.TO_ARRAY, OperandTypes.ANY)
              .withGroupOrder(Optionality.OPTIONAL),
          SqlBasicAggFunction.create(
              PERCENTILE,
              SqlKind.OTHER_FUNCTION,
              ReturnTypes.DOUBLE_NULLABLE,
              OperandTypes.family(SqlTypeFamily.NUMERIC, SqlTypeFamily.NUMERIC)));

  /** Aggregates of pairs, which the library would write as sums that lose digits. */
  private static final List<SqlOperator> OF_PAIRS =
      Arrays.stream(AggregateFunction.values())
          .filter(AggregateFunction::isOfPairs)
          .<SqlOperator>map(
              f ->
                  SqlBasicAggFunction.create(
                      f.name(),
                      SqlKind.OTHER_FUNCTION,
                      ReturnTypes.DOUBLE_FORCE_NULLABLE,
                      OperandTypes.family(SqlTypeFamily.NUMERIC, SqlTypeFamily.NUMERIC)))
          .toList();

  private static final SqlOperatorTable OURS =
      SqlOperatorTables.of(
          Stream.of(
                  ScalarFunctions.operators(),
                  ALL,
                  OF_PAIRS,
                  List.of(
                      SqlLibraryOperators.TRY_CAST,
                      SqlLibraryOperators.SAFE_CAST,
                      SqlLibraryOperators.ILIKE,
                      SqlLibraryOperators.NOT_ILIKE,
                      SqlLibraryOperators.LTRIM,
                      SqlLibraryOperators.RTRIM,
                      SqlLibraryOperators.ARRAY_AGG))
              .flatMap(List::stream)
              .toList());

  /** The standard's functions where there is none of ours of that name. */
  private static final SqlOperatorTable OPERATORS =
      new SqlOperatorTable() {
        @Override
        public void lookupOperatorOverloads(
            SqlIdentifier name,
            SqlFunctionCategory category,
            SqlSyntax syntax,
            List<SqlOperator> out,
            SqlNameMatcher matcher) {
          int before = out.size();
          OURS.lookupOperatorOverloads(name, category, syntax, out, matcher);
          if (out.size() == before) {
            SqlStdOperatorTable.instance()
                .lookupOperatorOverloads(name, category, syntax, out, matcher);
          }
        }

        @Override
        public List<SqlOperator> getOperatorList() {
          return Stream.concat(
                  OURS.getOperatorList().stream(),
                  SqlStdOperatorTable.instance().getOperatorList().stream())
              .toList();
        }
      };

  /** The library's gives a whole number for whole numbers, where a share may fall between two. */
  private static final SqlAggFunction PERCENTILE_CONT =
      SqlBasicAggFunction.create(
              "PERCENTILE_CONT",
              SqlKind.PERCENTILE_CONT,
              ReturnTypes.DOUBLE_NULLABLE,
              OperandTypes.UNIT_INTERVAL_NUMERIC_LITERAL)
          .withGroupOrder(Optionality.MANDATORY)
          .withPercentile(true);

  /** The library's takes numbers alone, where anything that has an order will do. */
  private static final SqlAggFunction PERCENTILE_DISC =
      SqlBasicAggFunction.create(
              "PERCENTILE_DISC",
              SqlKind.PERCENTILE_DISC,
              ReturnTypes.PERCENTILE_DISC_CONT,
              OperandTypes.UNIT_INTERVAL_NUMERIC_LITERAL)
          .withGroupOrder(Optionality.MANDATORY);

  private static SqlOperator ours(SqlOperator of) {
    return of == SqlStdOperatorTable.PERCENTILE_CONT
        ? PERCENTILE_CONT
        : of == SqlStdOperatorTable.PERCENTILE_DISC ? PERCENTILE_DISC : of;
  }

  /** One of these functions. */
  static SqlOperator named(String name) {
    return ALL.stream().filter(o -> o.getName().equals(name)).findFirst().orElseThrow();
  }

  /** Several columns are counted as the text of all of them, and not where one is null. */
  private static SqlNode countOfSeveral(SqlCall count) {
    SqlParserPos at = count.getParserPosition();
    SqlOperator written = named(JSON_TEXT);
    SqlNode anyNull = null;
    SqlNode all = null;
    for (SqlNode operand : count.getOperandList()) {
      SqlNode isNull = SqlStdOperatorTable.IS_NULL.createCall(at, operand);
      SqlNode text = written.createCall(at, operand);
      anyNull = anyNull == null ? isNull : SqlStdOperatorTable.OR.createCall(at, anyNull, isNull);
      all =
          all == null
              ? text
              : SqlStdOperatorTable.CONCAT.createCall(
                  at,
                  SqlStdOperatorTable.CONCAT.createCall(
                      at, all, SqlLiteral.createCharString(",", at)),
                  text);
    }
    SqlNode one =
        SqlCase.createSwitched(
            at, null, SqlNodeList.of(anyNull), SqlNodeList.of(SqlLiteral.createNull(at)), all);
    return SqlStdOperatorTable.COUNT.createCall(count.getFunctionQuantifier(), at, one);
  }

  /** A parsed query with ours in the place of functions that the parser itself looks up. */
  static SqlNode inPlace(SqlNode query) {
    return query.accept(
        new SqlShuttle() {
          @Override
          public SqlNode visit(SqlCall call) {
            SqlNode node = super.visit(call);
            if (node instanceof SqlCall c
                && c.getOperator().getName().equalsIgnoreCase("COUNT")
                && c.operandCount() > 1
                && c.getFunctionQuantifier() != null
                && c.getFunctionQuantifier().getValue() == SqlSelectKeyword.DISTINCT) {
              return countOfSeveral(c);
            }
            SqlOperator ours = ours(call.getOperator());
            return ours != call.getOperator() && node instanceof SqlCall c
                ? ours.createCall(c.getParserPosition(), c.getOperandList())
                : node;
          }
        });
  }

  private static SqlOperator text(String name, SqlOperandTypeChecker operands) {
    return new SqlFunction(
        name,
        SqlKind.OTHER_FUNCTION,
        binding ->
            binding
                .getTypeFactory()
                .createTypeWithNullability(
                    binding.getTypeFactory().createSqlType(SqlTypeName.VARCHAR),
                    binding.getOperandType(0).isNullable()),
        null,
        operands,
        SqlFunctionCategory.USER_DEFINED_FUNCTION);
  }

  static RelDataType nullable(SqlOperatorBinding binding, RelDataType type) {
    return binding.getTypeFactory().createTypeWithNullability(type, true);
  }

  /** Looks at the pattern while the query is checked, so that a wrong one is told at once. */
  private static RelDataType matchesType(SqlOperatorBinding binding) {
    if (!binding.isOperandLiteral(1, false)) {
      throw new UnsupportedSqlException(
          "%s wants its pattern as a constant, as in %s(roll_id, '^R[0-9]{8}$')"
              .formatted(MATCHES, MATCHES));
    }
    try {
      TextParts.Matches.of(
          Literal.of(Type.VARCHAR, ""), binding.getOperandLiteralValue(1, String.class));
    } catch (ExpressionException e) {
      throw new UnsupportedSqlException(e.getMessage());
    }
    return nullable(binding, binding.getTypeFactory().createSqlType(SqlTypeName.BOOLEAN));
  }

  private static SqlOperator parse(String name) {
    return new SqlFunction(
        name,
        SqlKind.OTHER_FUNCTION,
        binding -> parsedType(name, binding),
        null,
        OperandTypes.family(SqlTypeFamily.CHARACTER, SqlTypeFamily.CHARACTER),
        SqlFunctionCategory.USER_DEFINED_FUNCTION);
  }

  private static RelDataType parsedType(String name, SqlOperatorBinding binding) {
    if (!binding.isOperandLiteral(1, false)) {
      throw new UnsupportedSqlException(
          "%s wants its type as a constant, as in %s(remark, 'list(int)')".formatted(name, name));
    }
    try {
      Type type = Type.parse(binding.getOperandLiteralValue(1, String.class));
      return binding
          .getTypeFactory()
          .createTypeWithNullability(SqlTypes.toSql(type, binding.getTypeFactory()), true);
    } catch (IllegalArgumentException e) {
      throw new UnsupportedSqlException(e.getMessage());
    }
  }

  /** The standard's functions and these. */
  static SqlOperatorTable operators() {
    return OPERATORS;
  }

  /** The names of all functions that can be called. */
  static List<String> functionNames() {
    return operators().getOperatorList().stream()
        .filter(o -> o instanceof SqlFunction)
        .map(SqlOperator::getName)
        .filter(n -> n.matches("[A-Z][A-Z0-9_]*"))
        .distinct()
        .toList();
  }
}
