package yardage.service.web;

import jakarta.servlet.http.HttpServletRequest;
import java.io.IOException;
import java.time.Duration;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.Map;
import java.util.Set;
import org.apache.coyote.AbstractProcessor;
import org.apache.coyote.Constants;
import org.apache.coyote.http11.Http11NioProtocol;
import org.apache.tomcat.util.net.NioChannel;
import org.apache.tomcat.util.net.SocketWrapperBase;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.tomcat.servlet.TomcatServletWebServerFactory;
import org.springframework.boot.web.server.WebServerFactoryCustomizer;
import org.springframework.scheduling.annotation.Scheduled;
import org.springframework.stereotype.Component;

/**
 * Closes connections that send the head of a request drop by drop, and those past what one address
 * may have. The HTTP server itself only notices a connection that sends nothing at all.
 */
@Component
class ConnectionGuard implements WebServerFactoryCustomizer<TomcatServletWebServerFactory>, Askers {
  private static final Logger LOG = LoggerFactory.getLogger(ConnectionGuard.class);
  private static final Duration HEAD_WITHIN = Duration.ofSeconds(10);
  private static final int CONNECTIONS_OF_AN_ADDRESS = 1024;

  private volatile GuardedHttp protocol;
  private Map<SocketWrapperBase<?>, Begun> begun = new IdentityHashMap<>();

  /** A head that is being read: of the connection's how-manieth request, and since when. */
  private record Begun(int request, long sinceNanos) {}

  @Override
  public void customize(TomcatServletWebServerFactory factory) {
    factory.setProtocol(GuardedHttp.class.getName());
    factory.addConnectorCustomizers(c -> protocol = (GuardedHttp) c.getProtocolHandler());
  }

  /** The server's protocol, whose connections can be looked at. Made by the server, by its name. */
  public static final class GuardedHttp extends Http11NioProtocol {
    Set<SocketWrapperBase<NioChannel>> connections() {
      return getEndpoint().getConnections();
    }
  }

  @Override
  public boolean isGone(HttpServletRequest request) {
    if (protocol == null) {
      return false;
    }
    for (SocketWrapperBase<NioChannel> connection : protocol.connections()) {
      if (connection.getRemotePort() == request.getRemotePort()
          && request.getRemoteAddr().equals(connection.getRemoteAddr())) {
        try {
          // Keeps what has arrived of a next request, and throws at the stream's end.
          connection.isReadyForRead();
          return false;
        } catch (IOException e) {
          return true;
        }
      }
    }
    return true;
  }

  @Scheduled(fixedDelay = 1000)
  void sweep() {
    if (protocol == null) {
      return;
    }
    long now = System.nanoTime();
    Map<SocketWrapperBase<?>, Begun> still = new IdentityHashMap<>();
    Map<String, Integer> ofAddress = new HashMap<>();
    int closed = 0;
    for (SocketWrapperBase<NioChannel> connection : protocol.connections()) {
      boolean working = false;
      if (connection.getCurrentProcessor() instanceof AbstractProcessor processor) {
        var state = processor.getRequest().getRequestProcessor();
        // A head that is not whole leaves its processor with the connection, at its end.
        working =
            processor.isAsync()
                || state.getStage() != Constants.STAGE_PARSE
                    && state.getStage() != Constants.STAGE_ENDED;
        if (!working) {
          Begun before = begun.get(connection);
          Begun head =
              before != null && before.request() == state.getRequestCount()
                  ? before
                  : new Begun(state.getRequestCount(), now);
          if (now - head.sinceNanos() > HEAD_WITHIN.toNanos()) {
            connection.close();
            closed++;
            continue;
          }
          still.put(connection, head);
        }
      }
      String address = connection.getRemoteAddr();
      if (ofAddress.merge(address == null ? "" : address, 1, Integer::sum)
              > CONNECTIONS_OF_AN_ADDRESS
          && !working) {
        connection.close();
      }
    }
    begun = still;
    if (closed > 0) {
      LOG.warn(
          "Closed {} connections whose request did not arrive within {} seconds",
          closed,
          HEAD_WITHIN.toSeconds());
    }
  }
}
