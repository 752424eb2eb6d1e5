package yardage.service.web;

import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import tools.jackson.databind.json.JsonMapper;

/** Problems (RFC 9457) of what is refused before any handler is asked. */
public final class Problems {
  private static final JsonMapper JSON = new JsonMapper();

  /** A refusal: a status, a stable code, what and why in words, and how to mend it. */
  public record Refusal(int status, String code, String detail, String fix) {}

  /** The database cannot be reached. */
  public static final Refusal DATABASE_AWAY =
      new Refusal(
          503,
          "database-away",
          "The service cannot reach its database",
          "Start MariaDB again, as ./yardage start does; the service goes on by itself then");

  private Problems() {}

  public static void write(
      HttpServletResponse response, int status, String code, String detail, String fix)
      throws IOException {
    write(response, new Refusal(status, code, detail, fix));
  }

  /** Answers with a refusal, unless an answer is on its way already. */
  public static void write(HttpServletResponse response, Refusal refusal) throws IOException {
    if (response.isCommitted()) {
      return;
    }
    response.setStatus(refusal.status());
    response.setContentType("application/problem+json");
    response.getOutputStream().write(JSON.writeValueAsBytes(refusal));
    response.flushBuffer();
  }
}
