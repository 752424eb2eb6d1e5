package yardage.service.access;

import io.swagger.v3.oas.annotations.Parameter;
import jakarta.servlet.http.HttpServletRequest;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseCookie;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import yardage.service.YardageProperties;

/** Signing in and out, the password, tokens. */
@RestController
@RequestMapping("/api/v1")
class AccessController {
  private final AccessService access;
  private final YardageProperties properties;

  AccessController(AccessService access, YardageProperties properties) {
    this.access = access;
    this.properties = properties;
  }

  record SignIn(String name, String password) {}

  record Session(String name, boolean mustChangePassword) {}

  record PasswordChange(String current, String next) {}

  record NewToken(String name) {}

  record MadeToken(String name, String secret) {}

  record Token(long id, String name, Instant createdAt, Optional<Instant> usedAt) {}

  @PostMapping("/session")
  ResponseEntity<Session> signIn(@RequestBody SignIn body) {
    AccessService.Issued issued =
        access.signIn(
            body.name() == null ? "" : body.name(), body.password() == null ? "" : body.password());
    return ResponseEntity.ok()
        .header(HttpHeaders.SET_COOKIE, cookie(issued.secret(), properties.consoleSessions()))
        .body(session(issued.person()));
  }

  @GetMapping("/session")
  Session session(
      @Parameter(hidden = true) @RequestAttribute(AccessFilter.PERSON)
          AccessService.Person person) {
    return new Session(person.name(), person.mustChangePassword());
  }

  @DeleteMapping("/session")
  ResponseEntity<Void> signOut(HttpServletRequest request) {
    AccessFilter.cookie(request).ifPresent(access::signOut);
    return ResponseEntity.noContent()
        .header(HttpHeaders.SET_COOKIE, cookie("", Duration.ZERO))
        .build();
  }

  @PostMapping("/session/password")
  @ResponseStatus(HttpStatus.NO_CONTENT)
  void changePassword(
      @Parameter(hidden = true) @RequestAttribute(AccessFilter.PERSON) AccessService.Person person,
      @Parameter(hidden = true) @RequestAttribute(name = AccessFilter.SESSION, required = false)
          String session,
      @RequestBody PasswordChange body) {
    access.changePassword(
        person,
        session == null ? "" : session,
        body.current() == null ? "" : body.current(),
        body.next() == null ? "" : body.next());
  }

  @GetMapping("/tokens")
  List<Token> tokens(
      @Parameter(hidden = true) @RequestAttribute(AccessFilter.PERSON)
          AccessService.Person person) {
    return access.tokens(person).stream()
        .map(t -> new Token(t.id(), t.name(), t.createdAt(), Optional.ofNullable(t.usedAt())))
        .toList();
  }

  @PostMapping("/tokens")
  @ResponseStatus(HttpStatus.CREATED)
  MadeToken makeToken(
      @Parameter(hidden = true) @RequestAttribute(AccessFilter.PERSON) AccessService.Person person,
      @RequestBody NewToken body) {
    String name = body.name() == null || body.name().isBlank() ? "client" : body.name().strip();
    return new MadeToken(
        name, access.makeToken(person, name.substring(0, Math.min(100, name.length()))).secret());
  }

  @DeleteMapping("/tokens/{id}")
  @ResponseStatus(HttpStatus.NO_CONTENT)
  void revokeToken(
      @Parameter(hidden = true) @RequestAttribute(AccessFilter.PERSON) AccessService.Person person,
      @PathVariable long id) {
    access.revokeToken(person, id);
  }

  private static String cookie(String value, Duration age) {
    return ResponseCookie.from(AccessFilter.COOKIE, value)
        .httpOnly(true)
        .sameSite("Strict")
        .path("/")
        .maxAge(age)
        .build()
        .toString();
  }
}
