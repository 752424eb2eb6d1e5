package yardage.service.views;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Pattern;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import yardage.core.column.Schema;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.document.YamlEdit;
import yardage.core.view.ViewDocument;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.query.QueryService;
import yardage.service.web.ApiException;

/** Keeps views and checks them. */
@Service
class ViewService {
  private static final DocumentStore.Kind KIND = DocumentStore.Kind.VIEW;

  private final DocumentStore documents;
  private final QueryService queries;

  ViewService(DocumentStore documents, QueryService queries) {
    this.documents = documents;
    this.queries = queries;
  }

  /** What a text says and what is wrong with it, and the columns of its query. */
  record CheckedView(ViewDocument.Parsed parsed, Schema columns) {}

  CheckedView check(String text) {
    ViewDocument.Parsed parsed = ViewDocument.parse(text);
    if (parsed.document().isEmpty()) {
      return new CheckedView(parsed, new Schema(List.of()));
    }
    try {
      return new CheckedView(parsed, queries.check(parsed.document().get()));
    } catch (ApiException e) {
      List<Problem> problems = new ArrayList<>();
      TextValue sql = parsed.document().get().sql();
      e.problems().forEach(p -> problems.add(placed(sql, p)));
      if (problems.isEmpty()) {
        problems.add(
            new Problem(
                Problem.Severity.ERROR,
                "wrong-sql",
                "",
                "sql",
                sql.place(),
                e.getMessage(),
                Optional.empty()));
      }
      return new CheckedView(
          new ViewDocument.Parsed(parsed.name(), Optional.empty(), problems),
          new Schema(List.of()));
    }
  }

  /** A problem of the query, where its words stand in the document. */
  private static Problem placed(TextValue sql, Problem p) {
    Place at = p.place();
    return new Problem(
        p.severity(),
        p.code(),
        "",
        "sql",
        new Place(
            sql.line() + at.line() - 1,
            column(sql, at.line(), at.column()),
            sql.line() + at.endLine() - 1,
            column(sql, at.endLine(), at.endColumn())),
        p.message(),
        p.fix());
  }

  private static int column(TextValue sql, int line, int column) {
    return column + (line == 1 ? sql.column() - 1 : sql.indent());
  }

  /**
   * @throws ApiException when the text is no view, or its query is wrong
   */
  StoredDocument save(String name, String text, String by, Optional<Integer> basedOn) {
    ViewDocument.Parsed parsed = check(text).parsed();
    if (parsed.document().isEmpty()) {
      throw ApiException.invalidDocument(name, parsed.problems());
    }
    ApiException.checkOwnName(parsed.name(), name);
    return documents.save(KIND, name, text, by, basedOn);
  }

  /** Keeps a query under a name; what else the document of that name says stays. */
  StoredDocument keep(String name, String about, String sql, String by, Optional<Integer> basedOn) {
    String before =
        documents.find(KIND, name).map(StoredDocument::text).orElse("view: %s\n".formatted(name));
    try {
      String told = YamlEdit.set(before, List.of("about"), about);
      return save(name, YamlEdit.set(told, List.of("sql"), sql.strip() + "\n"), by, basedOn);
    } catch (IllegalArgumentException e) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY, "cannot-keep", e.getMessage(), "Change it, then save");
    }
  }

  /**
   * @throws ApiException when other views read it
   */
  void remove(String name, String by) {
    Optional<ViewDocument> view =
        ViewDocument.parse(documents.require(KIND, name).text()).document();
    List<String> readers = view.map(v -> readers(v.inFrom())).orElse(List.of());
    if (!readers.isEmpty()) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "in-use",
          "View [%s] is read by the views %s".formatted(name, String.join(", ", readers)),
          "Change or remove those first");
    }
    documents.remove(KIND, name, by);
  }

  private List<String> readers(String inFrom) {
    Pattern named =
        Pattern.compile("\\b" + Pattern.quote(inFrom) + "\\b", Pattern.CASE_INSENSITIVE);
    return documents.latest(KIND).stream()
        .flatMap(d -> ViewDocument.parse(d.text()).document().stream())
        .filter(v -> !v.inFrom().equals(inFrom) && named.matcher(v.sql().text()).find())
        .map(ViewDocument::name)
        .toList();
  }
}
