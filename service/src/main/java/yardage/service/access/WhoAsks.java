package yardage.service.access;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.Cookie;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.net.URI;
import java.util.Arrays;
import java.util.Optional;
import java.util.Set;
import org.springframework.dao.DataAccessException;
import org.springframework.security.authentication.AbstractAuthenticationToken;
import org.springframework.security.core.authority.AuthorityUtils;
import org.springframework.security.core.context.SecurityContextHolder;
import org.springframework.web.filter.OncePerRequestFilter;
import yardage.service.web.Problems;

/**
 * Finds out who asks, from a token or from the console's cookie, and tells the chain. It lets
 * nothing in by itself: what needs a person is decided behind it. Requests that change something on
 * a cookie must come from the console's own page.
 */
final class WhoAsks extends OncePerRequestFilter {
  static final String COOKIE = "yardage-session";
  static final String PERSON = "yardage.person";
  private static final Set<String> SAFE_METHODS = Set.of("GET", "HEAD", "OPTIONS");

  private final AccessService access;

  WhoAsks(AccessService access) {
    this.access = access;
  }

  /** Somebody who is known, as the security library has it. */
  private static final class Known extends AbstractAuthenticationToken {
    private final transient AccessService.Person person;

    Known(AccessService.Person person) {
      super(AuthorityUtils.createAuthorityList("PERSON"));
      this.person = person;
      setAuthenticated(true);
    }

    @Override
    public Object getCredentials() {
      return "";
    }

    @Override
    public Object getPrincipal() {
      return person.name();
    }

    @Override
    public boolean equals(Object other) {
      return other instanceof Known k && k.person.equals(person);
    }

    @Override
    public int hashCode() {
      return person.hashCode();
    }
  }

  @Override
  protected void doFilterInternal(
      HttpServletRequest request, HttpServletResponse response, FilterChain chain)
      throws ServletException, IOException {
    Optional<String> token = token(request);
    Optional<String> session = token.isPresent() ? Optional.empty() : cookie(request);
    Optional<AccessService.Person> person;
    try {
      person = token.map(access::byToken).orElseGet(() -> session.flatMap(access::bySession));
    } catch (DataAccessException e) {
      Problems.write(response, Problems.DATABASE_AWAY);
      return;
    }
    if (person.isPresent()) {
      if (session.isPresent()
          && !SAFE_METHODS.contains(request.getMethod())
          && !fromOwnPage(request)) {
        Problems.write(
            response,
            403,
            "other-site",
            "A request from another site was refused",
            "Use the console itself");
        return;
      }
      request.setAttribute(PERSON, person.get());
      SecurityContextHolder.getContext().setAuthentication(new Known(person.get()));
    }
    chain.doFilter(request, response);
  }

  /**
   * Whether a browser says that the request comes from the service's own page: by {@code
   * Sec-Fetch-Site} where it sends that, else by {@code Origin}. A program that is no browser sends
   * neither, and nobody can make it send a cookie.
   */
  private static boolean fromOwnPage(HttpServletRequest request) {
    String site = request.getHeader("Sec-Fetch-Site");
    if (site != null && !site.equals("same-origin")) {
      return false;
    }
    String origin = request.getHeader("Origin");
    if (origin == null) {
      return true;
    }
    try {
      // The scheme is left out: behind a proxy that ends TLS the service itself sees http.
      String authority = URI.create(origin).getAuthority();
      return authority != null && authority.equalsIgnoreCase(request.getHeader("Host"));
    } catch (IllegalArgumentException e) {
      return false;
    }
  }

  static Optional<String> token(HttpServletRequest request) {
    return Optional.ofNullable(request.getHeader("Authorization"))
        .filter(h -> h.regionMatches(true, 0, "Bearer ", 0, 7))
        .map(h -> h.substring(7).trim());
  }

  static Optional<String> cookie(HttpServletRequest request) {
    return request.getCookies() == null
        ? Optional.empty()
        : Arrays.stream(request.getCookies())
            .filter(c -> c.getName().equals(COOKIE))
            .map(Cookie::getValue)
            .findFirst();
  }
}
