package yardage.service.web;

import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.context.ApplicationEventPublisher;
import org.springframework.dao.DataAccessResourceFailureException;
import org.springframework.http.HttpStatus;
import org.springframework.http.ProblemDetail;
import org.springframework.http.ResponseEntity;
import org.springframework.http.converter.HttpMessageNotReadableException;
import org.springframework.transaction.CannotCreateTransactionException;
import org.springframework.web.bind.annotation.ExceptionHandler;
import org.springframework.web.bind.annotation.RestControllerAdvice;
import org.springframework.web.method.annotation.MethodArgumentTypeMismatchException;
import org.springframework.web.servlet.mvc.method.annotation.ResponseEntityExceptionHandler;
import yardage.core.exec.FullDisk;
import yardage.core.lake.LakeException;

/** Turns exceptions into problems with a code and a remedy. */
@RestControllerAdvice
class ProblemAdvice extends ResponseEntityExceptionHandler {
  private static final Logger LOG = LoggerFactory.getLogger(ProblemAdvice.class);

  private final ApplicationEventPublisher events;

  ProblemAdvice(ApplicationEventPublisher events) {
    this.events = events;
  }

  @ExceptionHandler
  ResponseEntity<ProblemDetail> api(ApiException e) {
    ProblemDetail p = problem(e.status(), e.code(), e.getMessage(), e.fix());
    if (!e.problems().isEmpty()) {
      p.setProperty("problems", e.problems());
    }
    return ResponseEntity.status(e.status()).body(p);
  }

  @ExceptionHandler
  ResponseEntity<ProblemDetail> lake(LakeException e) {
    // The request was right and the service works: it is the table that cannot be had.
    try {
      events.publishEvent(e);
    } catch (RuntimeException unkept) {
      LOG.warn("Cannot have the table looked into: {}", unkept.getMessage());
    }
    return ResponseEntity.status(HttpStatus.UNPROCESSABLE_ENTITY)
        .body(
            problem(
                HttpStatus.UNPROCESSABLE_ENTITY,
                "table",
                e.getMessage(),
                "See how the table does with: yardage table health"
                    + e.damaged().map(t -> " " + t).orElse("")));
  }

  @ExceptionHandler
  ResponseEntity<ProblemDetail> argument(MethodArgumentTypeMismatchException e) {
    return ResponseEntity.badRequest()
        .body(
            problem(
                HttpStatus.BAD_REQUEST,
                "wrong-value",
                "[%s] cannot be [%s]".formatted(e.getName(), e.getValue()),
                "Write a whole number"));
  }

  @ExceptionHandler({
    DataAccessResourceFailureException.class,
    CannotCreateTransactionException.class
  })
  ResponseEntity<ProblemDetail> database(Throwable e) {
    LOG.warn("The database cannot be reached: {}", e.getMessage());
    return ResponseEntity.status(HttpStatus.SERVICE_UNAVAILABLE)
        .body(
            problem(
                HttpStatus.SERVICE_UNAVAILABLE,
                "database-away",
                "The service cannot reach its database",
                "Start MariaDB again, as ./yardage start does; the service goes on by itself then"));
  }

  @ExceptionHandler({RuntimeException.class, Error.class})
  ResponseEntity<ProblemDetail> unexpected(Throwable e) {
    if (FullDisk.is(e)) {
      LOG.warn("The disk is full: {}", e.getMessage());
      return ResponseEntity.status(HttpStatus.INSUFFICIENT_STORAGE)
          .body(
              problem(
                  HttpStatus.INSUFFICIENT_STORAGE,
                  "disk-full",
                  "The service's disk is full",
                  "Free some space there, then try again; nothing of before is lost"));
    }
    Throwable cause = e;
    while (cause.getCause() != null && cause.getCause() != cause) {
      cause = cause.getCause();
      if (cause instanceof java.sql.SQLNonTransientConnectionException
          || cause instanceof java.sql.SQLTransientConnectionException) {
        return database(e);
      }
    }
    LOG.error("A request failed unexpectedly", e);
    return ResponseEntity.internalServerError()
        .body(
            problem(
                HttpStatus.INTERNAL_SERVER_ERROR,
                "unexpected",
                "The service failed in a way that it did not expect: "
                    + e.getClass().getSimpleName(),
                "Look into the service's log; ./yardage status names it"));
  }

  @Override
  protected ResponseEntity<Object> handleHttpMessageNotReadable(
      HttpMessageNotReadableException e,
      org.springframework.http.HttpHeaders headers,
      org.springframework.http.HttpStatusCode status,
      org.springframework.web.context.request.WebRequest request) {
    return ResponseEntity.badRequest()
        .body(
            problem(
                HttpStatus.BAD_REQUEST,
                "wrong-body",
                "The request's body is not the JSON that is expected",
                "See the call's schema in /api/v1/openapi"));
  }

  private static ProblemDetail problem(HttpStatus status, String code, String message, String fix) {
    ProblemDetail p = ProblemDetail.forStatusAndDetail(status, message);
    p.setTitle(status.getReasonPhrase());
    p.setProperty("code", code);
    if (!fix.isEmpty()) {
      p.setProperty("fix", fix);
    }
    return p;
  }
}
