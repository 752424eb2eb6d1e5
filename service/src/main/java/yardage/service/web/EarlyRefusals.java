package yardage.service.web;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import org.apache.catalina.connector.Request;
import org.apache.catalina.connector.Response;
import org.apache.catalina.core.StandardHost;
import org.apache.catalina.valves.ErrorReportValve;
import org.springframework.boot.tomcat.servlet.TomcatServletWebServerFactory;
import org.springframework.boot.web.server.WebServerFactoryCustomizer;
import org.springframework.stereotype.Component;

/**
 * Requests that the HTTP server refuses before any of our code sees them, such as an address that
 * holds an escaped slash, are refused as a problem as well, and not with a page of HTML.
 */
@Component
class EarlyRefusals implements WebServerFactoryCustomizer<TomcatServletWebServerFactory> {
  @Override
  public void customize(TomcatServletWebServerFactory factory) {
    factory.addContextCustomizers(
        context -> {
          if (context.getParent() instanceof StandardHost host) {
            host.setErrorReportValveClass(AsProblem.class.getName());
          }
        });
  }

  /** Made by the server, by its name. */
  public static final class AsProblem extends ErrorReportValve {
    @Override
    protected void report(Request request, Response response, Throwable cause) {
      int status = response.getStatus();
      if (status < 400 || response.getContentWritten() > 0 || !response.setErrorReported()) {
        return;
      }
      try {
        response.setContentType("application/problem+json");
        response
            .getOutputStream()
            .write(
                """
                {"status":%d,"code":"refused","detail":"The request cannot be understood: its address or its head is not allowed","fix":"Names hold letters, digits, hyphens and dots; see /api/v1/openapi for the calls"}"""
                    .formatted(status)
                    .getBytes(StandardCharsets.UTF_8));
        response.finishResponse();
      } catch (IOException e) {
        // Whoever asked is gone.
        container.getLogger().debug("A refusal could not be sent", e);
      }
    }
  }
}
