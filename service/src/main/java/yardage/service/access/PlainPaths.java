package yardage.service.access;

import jakarta.servlet.http.HttpServletRequest;
import org.springframework.security.web.firewall.FirewalledRequest;
import org.springframework.security.web.firewall.RequestRejectedException;
import org.springframework.security.web.firewall.StrictHttpFirewall;

/**
 * Refuses addresses that two readers could read differently. The library's own rules refuse
 * semicolons, doubled slashes, dot segments, escaped slashes, percents and controls; this adds
 * escaped characters that need no escape (RFC 3986, 2.3): {@code /%61pi} is nobody's honest
 * address.
 */
final class PlainPaths extends StrictHttpFirewall {
  @Override
  public FirewalledRequest getFirewalledRequest(HttpServletRequest request) {
    String path = request.getRequestURI();
    for (int i = path.indexOf('%'); i >= 0; i = path.indexOf('%', i + 1)) {
      int high = i + 2 < path.length() ? Character.digit(path.charAt(i + 1), 16) : -1;
      int low = i + 2 < path.length() ? Character.digit(path.charAt(i + 2), 16) : -1;
      if (high < 0 || low < 0 || unreserved((char) (high << 4 | low))) {
        throw new RequestRejectedException(
            "The address escapes a character that needs no escape, or breaks an escape off");
      }
    }
    return super.getFirewalledRequest(request);
  }

  private static boolean unreserved(char c) {
    return c >= 'a' && c <= 'z'
        || c >= 'A' && c <= 'Z'
        || c >= '0' && c <= '9'
        || c == '-'
        || c == '.'
        || c == '_'
        || c == '~';
  }
}
