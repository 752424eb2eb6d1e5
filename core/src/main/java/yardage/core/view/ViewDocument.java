package yardage.core.view;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Names;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.sql.PlanSession;
import yardage.core.sql.SqlProblemException;

/**
 * A view's document: what its text says, before any table is looked at.
 *
 * @param parameters the names of the values that its query asks for
 */
public record ViewDocument(String name, String about, TextValue sql, List<String> parameters) {
  public ViewDocument {
    parameters = List.copyOf(parameters);
  }

  /** What a text says, and what is wrong with it; a document only where nothing is. */
  public record Parsed(String name, Optional<ViewDocument> document, List<Problem> problems) {}

  /** How queries name it: {@code view.} and its name, with underscores for hyphens. */
  public String inFrom() {
    return Names.inFrom("view", name);
  }

  /** Reads a document; never throws for what the text says. */
  public static Parsed parse(String text) {
    List<Problem> problems = new ArrayList<>();
    try {
      if (DocumentValue.parse(text) instanceof MapValue map) {
        return document(new DocumentReader(map, "", "", problems), problems);
      }
      problems.add(
          problem(
              "wrong-shape",
              Place.START,
              "A view's document must hold named values, starting with view: its-name"));
    } catch (DocumentValue.MalformedException e) {
      problems.add(problem("not-yaml", e.place(), e.getMessage()));
    }
    return new Parsed("?", Optional.empty(), problems);
  }

  private static Problem problem(String code, Place place, String message) {
    return new Problem(Problem.Severity.ERROR, code, "", "", place, message, Optional.empty());
  }

  private static Parsed document(DocumentReader doc, List<Problem> problems) {
    Optional<TextValue> name = doc.required("view", "the view's name");
    String called = name.map(TextValue::text).orElse("?");
    if (name.isPresent() && !Names.isOfDocument(called)) {
      doc.error("wrong-name", "view", name.get().place(), Names.wrongOfDocument(called));
    } else if (name.isPresent() && PlanSession.isWordOfSql(called)) {
      doc.error(
          "wrong-name",
          "view",
          name.get().place(),
          "[%s] is a word of SQL, so that queries could not name the view; call it %s-rows, or otherwise"
              .formatted(called, called));
    }
    String about = doc.text("about").map(TextValue::text).orElse("");
    Optional<TextValue> sql = doc.required("sql", "the query");
    List<String> parameters = List.of();
    if (sql.isPresent()) {
      try {
        parameters = PlanSession.parameters(sql.get().text());
      } catch (SqlProblemException e) {
        doc.error("wrong-sql", "sql", sql.get().place(), e.getMessage());
      }
    }
    doc.finish();
    Optional<ViewDocument> document =
        problems.isEmpty()
            ? Optional.of(new ViewDocument(called, about, sql.orElseThrow(), parameters))
            : Optional.empty();
    return new Parsed(called, document, problems);
  }
}
