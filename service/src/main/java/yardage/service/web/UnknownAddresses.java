package yardage.service.web;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.util.Arrays;
import java.util.stream.Stream;
import org.springframework.util.AntPathMatcher;
import org.springframework.web.filter.OncePerRequestFilter;

/**
 * A browser that asks for a page that is not there gets the console, which says so, and the status
 * that says so to others. What programs ask for is answered as ever.
 */
public final class UnknownAddresses extends OncePerRequestFilter {
  private static final AntPathMatcher PATHS = new AntPathMatcher();

  @Override
  protected void doFilterInternal(
      HttpServletRequest request, HttpServletResponse response, FilterChain chain)
      throws ServletException, IOException {
    if (isUnknownPage(request)) {
      response.setStatus(HttpServletResponse.SC_NOT_FOUND);
      request.getRequestDispatcher("/index.html").forward(request, response);
      return;
    }
    chain.doFilter(request, response);
  }

  private static boolean isUnknownPage(HttpServletRequest request) {
    String path = request.getRequestURI();
    String accept = request.getHeader("Accept");
    return request.getMethod().equals("GET")
        && accept != null
        && accept.contains("text/html")
        && !path.startsWith("/api")
        && Stream.of(ConsoleRoutes.PAGES, ConsoleRoutes.FILES)
            .flatMap(Arrays::stream)
            .noneMatch(p -> PATHS.match(p, path));
  }
}
