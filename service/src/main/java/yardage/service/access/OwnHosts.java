package yardage.service.access;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import org.springframework.web.filter.OncePerRequestFilter;
import yardage.service.web.Problems;

/**
 * Answers only to names that are the service's own. Without it a page of another site could have
 * its own name point at this machine, and read the service through the browser of somebody who sits
 * here.
 */
final class OwnHosts extends OncePerRequestFilter {
  private final Set<String> names = new HashSet<>(Set.of("localhost", "127.0.0.1", "[::1]"));

  OwnHosts(List<String> more) {
    more.forEach(n -> names.add(n.toLowerCase(Locale.ROOT)));
  }

  @Override
  protected void doFilterInternal(
      HttpServletRequest request, HttpServletResponse response, FilterChain chain)
      throws ServletException, IOException {
    String host = request.getHeader("Host");
    if (host == null || !names.contains(name(host))) {
      Problems.write(
          response,
          400,
          "other-host",
          "The service is not known by the name that the request calls it",
          "Use 127.0.0.1 or localhost; an administrator can add names under yardage.hosts in settings.yml");
      return;
    }
    chain.doFilter(request, response);
  }

  /** A host without its port. */
  private static String name(String host) {
    int colon = host.lastIndexOf(':');
    String name = colon > host.lastIndexOf(']') ? host.substring(0, colon) : host;
    return name.toLowerCase(Locale.ROOT);
  }
}
