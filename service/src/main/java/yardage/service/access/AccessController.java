package yardage.service.access;

import io.swagger.v3.oas.annotations.Parameter;
import jakarta.servlet.http.HttpServletRequest;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Locale;
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
import yardage.service.web.ApiException;
import yardage.service.web.OnlyReads;
import yardage.service.web.Open;

/** Signing in and out, the password, tokens. */
@RestController
@RequestMapping("/api/v1")
class AccessController {
  private static final int MAX_TOKEN_NAME = 100;

  private final AccessService access;
  private final YardageProperties properties;

  AccessController(AccessService access, YardageProperties properties) {
    this.access = access;
    this.properties = properties;
  }

  record SignIn(String name, String password) {}

  record Session(String name, boolean mustChangePassword) {}

  record PasswordChange(String current, String next) {}

  /**
   * @param scope all, or read
   * @param days how long it is good for
   */
  record NewToken(String name, Optional<String> scope, Optional<Integer> days) {}

  record MadeToken(String name, String secret, Instant expiresAt) {}

  record Token(
      long id,
      String name,
      String scope,
      Instant createdAt,
      Optional<Instant> usedAt,
      Instant expiresAt) {}

  @Open
  @PostMapping("/session")
  ResponseEntity<Session> signIn(@RequestBody SignIn body, HttpServletRequest request) {
    AccessService.Issued issued =
        access.signIn(
            body.name() == null ? "" : body.name(),
            body.password() == null ? "" : body.password(),
            request.getRemoteAddr());
    return ResponseEntity.ok()
        .header(HttpHeaders.SET_COOKIE, cookie(issued.secret(), properties.consoleSessions()))
        .body(session(issued.person()));
  }

  @GetMapping("/session")
  Session session(
      @Parameter(hidden = true) @RequestAttribute(WhoAsks.PERSON) AccessService.Person person) {
    return new Session(person.name(), person.mustChangePassword());
  }

  /** Ends the session, or the token, that the request came with. */
  @OnlyReads
  @DeleteMapping("/session")
  ResponseEntity<Void> signOut(
      @Parameter(hidden = true) @RequestAttribute(WhoAsks.PERSON) AccessService.Person person) {
    access.signOut(person);
    return ResponseEntity.noContent()
        .header(HttpHeaders.SET_COOKIE, cookie("", Duration.ZERO))
        .build();
  }

  @PostMapping("/session/password")
  @ResponseStatus(HttpStatus.NO_CONTENT)
  void changePassword(
      @Parameter(hidden = true) @RequestAttribute(WhoAsks.PERSON) AccessService.Person person,
      @RequestBody PasswordChange body) {
    access.changePassword(
        person,
        body.current() == null ? "" : body.current(),
        body.next() == null ? "" : body.next());
  }

  @GetMapping("/tokens")
  List<Token> tokens(
      @Parameter(hidden = true) @RequestAttribute(WhoAsks.PERSON) AccessService.Person person) {
    return access.tokens(person).stream()
        .map(
            t ->
                new Token(
                    t.id(),
                    t.name(),
                    t.scope().toLowerCase(Locale.ROOT),
                    t.createdAt(),
                    Optional.ofNullable(t.usedAt()),
                    t.expiresAt()))
        .toList();
  }

  @PostMapping("/tokens")
  @ResponseStatus(HttpStatus.CREATED)
  MadeToken makeToken(
      @Parameter(hidden = true) @RequestAttribute(WhoAsks.PERSON) AccessService.Person person,
      @RequestBody NewToken body) {
    String name = body.name() == null || body.name().isBlank() ? "client" : body.name().strip();
    if (name.length() > MAX_TOKEN_NAME) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "wrong-value",
          "The token's name has %,d characters".formatted(name.length()),
          "Use at most %d".formatted(MAX_TOKEN_NAME));
    }
    AccessService.Issued made =
        access.makeToken(
            person, name, AccessService.Scope.parse(body.scope().orElse("all")), body.days());
    return new MadeToken(name, made.secret(), made.expiresAt());
  }

  @DeleteMapping("/tokens/{id}")
  @ResponseStatus(HttpStatus.NO_CONTENT)
  void revokeToken(
      @Parameter(hidden = true) @RequestAttribute(WhoAsks.PERSON) AccessService.Person person,
      @PathVariable long id) {
    access.revokeToken(person, id);
  }

  private String cookie(String value, Duration age) {
    return ResponseCookie.from(WhoAsks.COOKIE, value)
        .httpOnly(true)
        .secure(properties.secureCookies())
        .sameSite("Strict")
        .path("/")
        .maxAge(age)
        .build()
        .toString();
  }
}
