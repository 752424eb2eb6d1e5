package yardage.service.web;

import java.util.Collection;
import java.util.List;
import org.springframework.http.HttpStatus;
import yardage.core.document.Names;
import yardage.core.document.Problem;

/**
 * A request that cannot be served: a status, a stable code, what and why in words, and how to mend
 * it.
 */
public final class ApiException extends RuntimeException {
  private static final int MOST_NAMES = 12;

  private final HttpStatus status;
  private final String code;
  private final String fix;
  private final List<Problem> problems;

  public ApiException(HttpStatus status, String code, String message, String fix) {
    this(status, code, message, fix, List.of());
  }

  private ApiException(
      HttpStatus status, String code, String message, String fix, List<Problem> problems) {
    super(message);
    this.status = status;
    this.code = code;
    this.fix = fix;
    this.problems = problems;
  }

  public static ApiException notFound(String what, String name) {
    return new ApiException(
        HttpStatus.NOT_FOUND,
        "not-found",
        "There is no %s [%s]".formatted(what, name),
        "List them to see the names that there are");
  }

  /**
   * As {@link #notFound(String, String)}, with the name that was probably meant, or those there
   * are.
   */
  public static ApiException notFound(String what, String name, Collection<String> names) {
    List<String> few = names.stream().sorted().limit(MOST_NAMES).toList();
    String instead =
        Names.nearest(name, names).isPresent() || names.size() <= MOST_NAMES
            ? Names.instead(name, names)
            : "; there are %s and %,d more"
                .formatted(String.join(", ", few), names.size() - few.size());
    return new ApiException(
        HttpStatus.NOT_FOUND,
        "not-found",
        "There is no %s [%s]%s".formatted(what, name, instead),
        "Use a name that is there");
  }

  public static ApiException invalidDocument(String name, List<Problem> problems) {
    long errors = problems.stream().filter(p -> p.severity() == Problem.Severity.ERROR).count();
    return new ApiException(
        HttpStatus.UNPROCESSABLE_ENTITY,
        "document-has-errors",
        "%s has %d error%s"
            .formatted(
                name.equals("query") || name.equals("condition") ? "The " + name : "[" + name + "]",
                errors,
                errors == 1 ? "" : "s"),
        "Correct the places listed, then try again",
        problems);
  }

  /**
   * @throws ApiException when a document is kept under another name than its own
   */
  public static void checkOwnName(String document, String name) {
    if (!document.equals(name)) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "other-name",
          "The document calls itself [%s], not [%s]".formatted(document, name),
          "Save it under its own name");
    }
  }

  HttpStatus status() {
    return status;
  }

  String code() {
    return code;
  }

  String fix() {
    return fix;
  }

  public List<Problem> problems() {
    return problems;
  }
}
