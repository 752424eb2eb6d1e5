package yardage.service.access;

import jakarta.servlet.DispatcherType;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.util.Set;
import org.springframework.web.method.HandlerMethod;
import org.springframework.web.servlet.HandlerInterceptor;
import yardage.service.web.OnlyReads;
import yardage.service.web.Open;
import yardage.service.web.Problems;

/**
 * Asks at the handler itself, whatever address led to it: is somebody known, is the one-time
 * password changed, and may this token do this. A handler is open only if it says so by {@link
 * Open}.
 */
final class PersonAtHandler implements HandlerInterceptor {
  private static final Set<String> SAFE_METHODS = Set.of("GET", "HEAD", "OPTIONS");

  @Override
  public boolean preHandle(HttpServletRequest request, HttpServletResponse response, Object handler)
      throws IOException {
    if (!(handler instanceof HandlerMethod method)
        || request.getDispatcherType() == DispatcherType.ERROR
        || method.hasMethodAnnotation(Open.class)) {
      return true;
    }
    if (!(request.getAttribute(WhoAsks.PERSON) instanceof AccessService.Person person)) {
      Problems.write(
          response,
          401,
          "not-signed-in",
          "Sign in first",
          "Sign in at /sign-in, or with: yardage sign-in");
      return false;
    }
    if (person.mustChangePassword() && method.getBeanType() != AccessController.class) {
      Problems.write(
          response,
          403,
          "password-to-change",
          "The one-time password must be changed first",
          "Set a new password in the console, or with: yardage sign-in");
      return false;
    }
    if (person.scope() == AccessService.Scope.READ
        && !SAFE_METHODS.contains(request.getMethod())
        && !method.hasMethodAnnotation(OnlyReads.class)) {
      Problems.write(
          response,
          403,
          "token-reads-only",
          "This token may only read",
          "Make one that may change things too: yardage token make NAME");
      return false;
    }
    return true;
  }
}
