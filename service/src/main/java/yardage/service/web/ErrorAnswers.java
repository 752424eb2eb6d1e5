package yardage.service.web;

import jakarta.servlet.RequestDispatcher;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import org.springframework.boot.webmvc.error.ErrorController;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Controller;
import org.springframework.web.bind.annotation.RequestMapping;

/** What the HTTP server itself refuses in the middle of a request is told as a problem too. */
@Controller
class ErrorAnswers implements ErrorController {
  @RequestMapping("${server.error.path:/error}")
  void answer(HttpServletRequest request, HttpServletResponse response) throws IOException {
    int status =
        request.getAttribute(RequestDispatcher.ERROR_STATUS_CODE) instanceof Integer s ? s : 500;
    HttpStatus known = HttpStatus.resolve(status);
    if (status == 408) {
      Problems.write(
          response, status, "too-slow", "The request did not arrive in time", "Send it again");
      return;
    }
    Problems.write(
        response,
        status,
        status >= 500 ? "unexpected" : "refused",
        "The service answered %d, %s"
            .formatted(status, known == null ? "of no known meaning" : known.getReasonPhrase()),
        "See /api/v1/openapi for the calls, and the service's log; ./yardage status names it");
  }
}
