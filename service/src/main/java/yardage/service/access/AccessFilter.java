package yardage.service.access;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.Cookie;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.util.Arrays;
import java.util.Optional;
import java.util.Set;
import org.springframework.dao.DataAccessException;
import org.springframework.stereotype.Component;
import org.springframework.web.filter.OncePerRequestFilter;

/**
 * Lets nothing of the interface through without a session or a token, but the health check, signing
 * in, and the console's own files. Requests that change something on a session's cookie must come
 * from the console's own page.
 */
@Component
class AccessFilter extends OncePerRequestFilter {
  static final String COOKIE = "yardage-session";
  static final String PERSON = "yardage.person";
  static final String SESSION = "yardage.session";
  private static final Set<String> SAFE_METHODS = Set.of("GET", "HEAD", "OPTIONS");

  private final AccessService access;

  AccessFilter(AccessService access) {
    this.access = access;
  }

  @Override
  protected boolean shouldNotFilterAsyncDispatch() {
    return true;
  }

  @Override
  protected void doFilterInternal(
      HttpServletRequest request, HttpServletResponse response, FilterChain chain)
      throws ServletException, IOException {
    response.setHeader("X-Content-Type-Options", "nosniff");
    response.setHeader("X-Frame-Options", "DENY");
    response.setHeader("Referrer-Policy", "no-referrer");
    response.setHeader(
        "Content-Security-Policy",
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'");
    String path = request.getRequestURI();
    if (!path.startsWith("/api/")) {
      chain.doFilter(request, response);
      return;
    }
    response.setHeader("Cache-Control", "no-store");
    Optional<String> token =
        Optional.ofNullable(request.getHeader("Authorization"))
            .filter(h -> h.startsWith("Bearer "))
            .map(h -> h.substring(7).trim());
    Optional<String> session = cookie(request);
    boolean open =
        path.equals("/api/v1/health")
            || (path.equals("/api/v1/session") && request.getMethod().equals("POST"));
    Optional<AccessService.Person> person;
    try {
      person =
          token.isPresent() && !open
              ? access.byToken(token.get())
              : open ? Optional.empty() : session.flatMap(access::bySession);
    } catch (DataAccessException e) {
      problem(
          response,
          503,
          "database-away",
          "The service cannot reach its database",
          "Start MariaDB again, as ./yardage start does; the service goes on by itself then");
      return;
    }
    if (person.isEmpty() && !open) {
      problem(
          response,
          401,
          "not-signed-in",
          token.isPresent() ? "The token is not known, or was revoked" : "Sign in first",
          "Sign in at /sign-in, or with: yardage sign-in");
      return;
    }
    if (person.isPresent()) {
      boolean byCookie = token.isEmpty();
      String site = request.getHeader("Sec-Fetch-Site");
      if (byCookie
          && !SAFE_METHODS.contains(request.getMethod())
          && site != null
          && !site.equals("same-origin")) {
        problem(
            response,
            403,
            "other-site",
            "A request from another site was refused",
            "Use the console itself");
        return;
      }
      if (person.get().mustChangePassword() && !path.startsWith("/api/v1/session")) {
        problem(
            response,
            403,
            "password-to-change",
            "The one-time password must be changed first",
            "Set a new password in the console, or with: yardage sign-in");
        return;
      }
      request.setAttribute(PERSON, person.get());
      session.ifPresent(s -> request.setAttribute(SESSION, s));
    }
    chain.doFilter(request, response);
  }

  static Optional<String> cookie(HttpServletRequest request) {
    return request.getCookies() == null
        ? Optional.empty()
        : Arrays.stream(request.getCookies())
            .filter(c -> c.getName().equals(COOKIE))
            .map(Cookie::getValue)
            .findFirst();
  }

  private static void problem(
      HttpServletResponse response, int status, String code, String detail, String fix)
      throws IOException {
    response.setStatus(status);
    response.setContentType("application/problem+json");
    response.setCharacterEncoding("UTF-8");
    response
        .getWriter()
        .write(
            "{\"status\":%d,\"code\":\"%s\",\"detail\":\"%s\",\"fix\":\"%s\"}"
                .formatted(status, code, detail, fix));
  }
}
