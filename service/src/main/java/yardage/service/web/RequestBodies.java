package yardage.service.web;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ReadListener;
import jakarta.servlet.ServletException;
import jakarta.servlet.ServletInputStream;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletRequestWrapper;
import jakarta.servlet.http.HttpServletResponse;
import java.io.BufferedReader;
import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.net.SocketTimeoutException;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import org.springframework.security.authentication.AnonymousAuthenticationToken;
import org.springframework.security.core.Authentication;
import org.springframework.security.core.context.SecurityContextHolder;
import org.springframework.web.filter.OncePerRequestFilter;
import yardage.service.web.Problems.Refusal;

/**
 * Takes a request's body before anything works on it: as many bytes as the call may have, within a
 * deadline, and only so many bodies at once from one asker. A slow sender thus holds a place of its
 * own, never the service. Uploads flow through, but must keep a pace.
 *
 * <p>People's requests are counted by person, all others by address, so that nobody who is not
 * signed in can take a signed-in person's places.
 */
public final class RequestBodies extends OncePerRequestFilter {
  private static final int KILOBYTE = 1 << 10;
  private static final int DRAINED_BYTES = 32 << 20;
  private static final int UPLOADS_AT_ONCE = 8;
  private static final Duration UPLOAD_GRACE = Duration.ofSeconds(30);
  private static final long UPLOAD_BYTES_PER_SECOND = 16 * KILOBYTE;

  /** What a call's body may be. */
  private record Allowance(int bytes, Duration within, int atOnce) {}

  private static final Allowance ANYBODY = new Allowance(16 * KILOBYTE, Duration.ofSeconds(5), 16);
  private static final Allowance ACCESS = new Allowance(16 * KILOBYTE, Duration.ofSeconds(5), 16);
  private static final Allowance DOCUMENT =
      new Allowance(1024 * KILOBYTE, Duration.ofSeconds(20), 32);

  private final ConcurrentHashMap<String, Integer> atOnce = new ConcurrentHashMap<>();

  @Override
  protected void doFilterInternal(
      HttpServletRequest request, HttpServletResponse response, FilterChain chain)
      throws ServletException, IOException {
    if (request.getContentLengthLong() == 0
        || request.getContentLengthLong() < 0 && request.getHeader("Transfer-Encoding") == null) {
      chain.doFilter(request, response);
      return;
    }
    Authentication who = SecurityContextHolder.getContext().getAuthentication();
    boolean known = who != null && !(who instanceof AnonymousAuthenticationToken);
    String path = request.getRequestURI();
    boolean upload =
        known && request.getMethod().equals("PUT") && path.startsWith("/api/v1/uploads/");
    Allowance allowance = !known ? ANYBODY : path.startsWith("/api/v1/session") ? ACCESS : DOCUMENT;
    int places = upload ? UPLOADS_AT_ONCE : allowance.atOnce();
    String asker =
        (upload ? "upload " : "body ")
            + (known ? "of " + who.getName() : "from " + request.getRemoteAddr());
    if (atOnce.merge(asker, 1, Integer::sum) > places) {
      leave(asker);
      Problems.write(
          response,
          503,
          "too-many-at-once",
          "%d requests of yours are still being sent".formatted(places),
          "Wait until some have arrived, then try again");
      return;
    }
    boolean inside = true;
    try {
      if (upload) {
        chain.doFilter(new Wrapped(request, new Paced(request.getInputStream())), response);
        return;
      }
      Body body = read(request, allowance, known);
      leave(asker);
      inside = false;
      if (body.refusal().isPresent()) {
        Problems.write(response, body.refusal().get());
        return;
      }
      chain.doFilter(
          new Wrapped(request, new Plain(new ByteArrayInputStream(body.bytes()))), response);
    } finally {
      if (inside) {
        leave(asker);
      }
    }
  }

  private void leave(String asker) {
    atOnce.computeIfPresent(asker, (a, n) -> n == 1 ? null : n - 1);
  }

  private record Body(byte[] bytes, Optional<Refusal> refusal) {}

  private static Body read(HttpServletRequest request, Allowance allowance, boolean known) {
    long end = System.nanoTime() + allowance.within().toNanos();
    ByteArrayOutputStream kept = new ByteArrayOutputStream();
    byte[] buffer = new byte[8 * KILOBYTE];
    long seen = 0;
    try {
      InputStream in = request.getInputStream();
      int n;
      while ((n = in.read(buffer)) >= 0) {
        seen += n;
        if (seen <= allowance.bytes()) {
          kept.write(buffer, 0, n);
        } else if (!known || seen > DRAINED_BYTES) {
          // A person's body is read to its end where that is near, so that the refusal arrives.
          break;
        }
        if (System.nanoTime() > end) {
          return new Body(new byte[0], Optional.of(late(allowance)));
        }
      }
    } catch (IOException e) {
      // The server has names of its own for a sender that is silent, or gone.
      return new Body(new byte[0], Optional.of(late(allowance)));
    }
    if (seen > allowance.bytes()) {
      return new Body(
          new byte[0],
          Optional.of(
              new Refusal(
                  413,
                  "too-large",
                  "The request's body is larger than the %,d kB that this call takes"
                      .formatted(allowance.bytes() / KILOBYTE),
                  "Send less; files go in as uploads, with: yardage upload")));
    }
    return new Body(kept.toByteArray(), Optional.empty());
  }

  private static Refusal late(Allowance allowance) {
    return new Refusal(
        408,
        "too-slow",
        "The request's body did not arrive within %d seconds"
            .formatted(allowance.within().toSeconds()),
        "Send it again");
  }

  /** A request whose body comes from elsewhere. */
  private static final class Wrapped extends HttpServletRequestWrapper {
    private final ServletInputStream in;

    Wrapped(HttpServletRequest request, ServletInputStream in) {
      super(request);
      this.in = in;
    }

    @Override
    public ServletInputStream getInputStream() {
      return in;
    }

    @Override
    public BufferedReader getReader() {
      return new BufferedReader(new InputStreamReader(in, StandardCharsets.UTF_8));
    }
  }

  /** A body that is there already. */
  private static class Plain extends ServletInputStream {
    private final InputStream in;
    private boolean ended;

    Plain(InputStream in) {
      this.in = in;
    }

    @Override
    public int read() throws IOException {
      byte[] one = new byte[1];
      return read(one, 0, 1) < 0 ? -1 : one[0] & 0xff;
    }

    @Override
    public int read(byte[] into, int from, int length) throws IOException {
      int n = in.read(into, from, length);
      ended |= n < 0;
      return n;
    }

    @Override
    public boolean isFinished() {
      return ended;
    }

    @Override
    public boolean isReady() {
      return true;
    }

    @Override
    public void setReadListener(ReadListener listener) {
      throw new UnsupportedOperationException("The body is read as it is");
    }
  }

  /** A body that must come at some pace: a sender that only drips is let go. */
  private static final class Paced extends Plain {
    private final long start = System.nanoTime();
    private long seen;

    Paced(InputStream in) {
      super(in);
    }

    @Override
    public int read(byte[] into, int from, int length) throws IOException {
      int n = super.read(into, from, length);
      seen += Math.max(0, n);
      Duration taken = Duration.ofNanos(System.nanoTime() - start);
      if (n >= 0 && taken.compareTo(UPLOAD_GRACE.plusSeconds(seen / UPLOAD_BYTES_PER_SECOND)) > 0) {
        throw new SocketTimeoutException(
            "the bytes come slower than %d kB a second"
                .formatted(UPLOAD_BYTES_PER_SECOND / KILOBYTE));
      }
      return n;
    }
  }
}
