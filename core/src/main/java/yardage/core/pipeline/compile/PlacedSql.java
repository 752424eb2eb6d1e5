package yardage.core.pipeline.compile;

import java.util.Map;
import java.util.Optional;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlShuttle;
import yardage.core.document.Names;
import yardage.core.expr.Cast;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.sql.PlanSession;
import yardage.core.sql.SqlProblemException;

/**
 * Parses the SQL that stands in a document: places are the document's, and parameters become
 * constants.
 */
final class PlacedSql {
  /**
   * Stands for the colon of a parameter while SQL is parsed: a letter, so that places stay as they
   * are.
   */
  private static final char PARAMETER_MARK = '\u1e9e';

  private final PlanSession session;
  private final Map<String, PipelineDocument.Parameter> declared;
  private final Map<String, String> given;

  /**
   * @param declared the document's parameters
   * @param given values of this run; the others have their defaults
   */
  PlacedSql(
      PlanSession session,
      Map<String, PipelineDocument.Parameter> declared,
      Map<String, String> given) {
    this.session = session;
    this.declared = declared;
    this.given = given;
  }

  /**
   * @throws SqlProblemException when it is no expression, or names a parameter that is not declared
   */
  SqlNode expression(Located text) {
    return withParameters(
        session.parseExpression(
            marked(text.value().asPlaced()), text.value().line(), text.value().column()));
  }

  /** As {@link #expression(Located)}, of a text that stands nowhere. */
  SqlNode expression(String text) {
    return withParameters(session.parseExpression(marked(text), 1, 1));
  }

  /**
   * @throws SqlProblemException when it is no query, or names a parameter that is not declared
   */
  SqlNode query(Located text) {
    return withParameters(
        session.parseQuery(
            marked(text.value().asPlaced()), text.value().line(), text.value().column()));
  }

  /**
   * Replaces {@code :name} by a mark that is one letter long, outside quotes, where a parameter of
   * that name is declared.
   */
  private String marked(String text) {
    StringBuilder out = new StringBuilder(text);
    char quote = 0;
    for (int i = 0; i + 1 < out.length(); i++) {
      char c = out.charAt(i);
      if (quote != 0) {
        quote = c == quote ? 0 : quote;
      } else if (c == '\'' || c == '"') {
        quote = c;
      } else if (c == ':' && Character.isLetter(out.charAt(i + 1))) {
        out.setCharAt(i, PARAMETER_MARK);
      }
    }
    return out.toString();
  }

  private SqlNode withParameters(SqlNode node) {
    return node.accept(
        new SqlShuttle() {
          @Override
          public SqlNode visit(SqlIdentifier id) {
            if (!id.isSimple() || id.getSimple().charAt(0) != PARAMETER_MARK) {
              return id;
            }
            String name = id.getSimple().substring(1);
            PipelineDocument.Parameter parameter = declared.get(name);
            SqlParserPos pos = id.getParserPosition();
            if (parameter == null) {
              Optional<String> fix = Names.nearest(name, declared.keySet());
              throw SqlProblemException.at(
                  pos,
                  "There is no parameter [%s]%s"
                      .formatted(
                          name,
                          declared.isEmpty()
                              ? "; the document declares none"
                              : "; there are " + String.join(", ", declared.keySet())),
                  fix.map(f -> ":" + f),
                  null);
            }
            return session.constant(
                Cast.parse(given.getOrDefault(name, parameter.otherwise()), parameter.type()), pos);
          }
        });
  }
}
