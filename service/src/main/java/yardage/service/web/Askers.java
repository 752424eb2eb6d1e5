package yardage.service.web;

import jakarta.servlet.http.HttpServletRequest;

/** Whoever sent a request and waits for its answer. */
public interface Askers {
  /**
   * Whether the connection of a request was closed by the other side. The request's body must have
   * been read to its end, and its own thread must not end the request meanwhile.
   */
  boolean isGone(HttpServletRequest request);
}
