package yardage.service.access;

import java.security.SecureRandom;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.http.HttpStatus;
import org.springframework.security.crypto.bcrypt.BCryptPasswordEncoder;
import org.springframework.stereotype.Service;
import yardage.service.TextHash;
import yardage.service.YardageProperties;
import yardage.service.web.ApiException;

/** Signs people and programs in. */
@Service
public class AccessService {
  static final String FIRST_ADMINISTRATOR = "admin";
  private static final int MIN_PASSWORD_LENGTH = 10;
  private static final Duration TOUCH_EVERY = Duration.ofMinutes(1);
  private static final String ALPHABET = "abcdefghijkmnpqrstuvwxyz23456789";

  private final AccessMapper mapper;
  private final YardageProperties properties;
  private final Clock clock;
  private final SecureRandom random = new SecureRandom();
  private final BCryptPasswordEncoder encoder = new BCryptPasswordEncoder(10);
  private final String unknownUserHash = encoder.encode("nobody");

  AccessService(AccessMapper mapper, YardageProperties properties, Clock clock) {
    this.mapper = mapper;
    this.properties = properties;
    this.clock = clock;
  }

  /** Somebody signed in. */
  public record Person(long id, String name, boolean mustChangePassword) {}

  /** A secret that is shown once, and whose it is. */
  record Issued(String secret, Person person) {}

  /**
   * Makes the first administrator and prints the one-time password: on standard output, once, and
   * nowhere else.
   */
  @EventListener(ApplicationReadyEvent.class)
  public void makeFirstAdministrator() {
    if (mapper.countUsers() == 0) {
      String password = secret(16);
      mapper.insertUser(FIRST_ADMINISTRATOR, encoder.encode(password), clock.instant());
      System.out.println(
          "First sign-in: " + FIRST_ADMINISTRATOR + " with the one-time password " + password);
    }
  }

  Issued signIn(String name, String password) {
    Optional<AccessMapper.User> user = mapper.userByName(name);
    // The same work for a name that is not there, so that the time does not tell.
    boolean right =
        encoder.matches(
            password, user.map(AccessMapper.User::passwordHash).orElse(unknownUserHash));
    if (user.isEmpty() || !right) {
      throw new ApiException(
          HttpStatus.UNAUTHORIZED,
          "wrong-sign-in",
          "The name or the password is wrong",
          "Try again; the first administrator's one-time password was printed when the service first started");
    }
    return issue(
        user.get(),
        "session",
        "console",
        Optional.of(clock.instant().plus(properties.consoleSessions())));
  }

  private Issued issue(
      AccessMapper.User user, String kind, String name, Optional<Instant> expires) {
    String secret = (kind.equals("token") ? "yt_" : "ys_") + secret(40);
    mapper.insertSignIn(user.id(), kind, name, hash(secret), clock.instant(), expires.orElse(null));
    return new Issued(secret, person(user));
  }

  Optional<Person> bySession(String secret) {
    return mapper.userBySecret(hash(secret), "session", clock.instant()).map(AccessService::person);
  }

  Optional<Person> byToken(String secret) {
    String hash = hash(secret);
    Optional<Person> person =
        mapper.userBySecret(hash, "token", clock.instant()).map(AccessService::person);
    person.ifPresent(p -> mapper.touch(hash, clock.instant(), clock.instant().minus(TOUCH_EVERY)));
    return person;
  }

  void signOut(String secret) {
    mapper.revokeByHash(hash(secret), clock.instant());
  }

  /** Sets a new password; other sessions of the same person end. */
  void changePassword(Person person, String session, String current, String next) {
    AccessMapper.User user = mapper.userByName(person.name()).orElseThrow();
    if (!encoder.matches(current, user.passwordHash())) {
      throw new ApiException(
          HttpStatus.FORBIDDEN,
          "wrong-password",
          "The current password is wrong",
          "Type the password that you signed in with");
    }
    if (next.length() < MIN_PASSWORD_LENGTH || next.length() > 72 || next.equals(current)) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "weak-password",
          "The new password must be new and have %d to 72 characters"
              .formatted(MIN_PASSWORD_LENGTH),
          "Choose another one");
    }
    mapper.setPassword(person.id(), encoder.encode(next));
    mapper.revokeOtherSessions(person.id(), hash(session), clock.instant());
  }

  Issued makeToken(Person person, String name) {
    AccessMapper.User user = mapper.userByName(person.name()).orElseThrow();
    return issue(user, "token", name, Optional.empty());
  }

  List<AccessMapper.SignInRow> tokens(Person person) {
    return mapper.tokens(person.id());
  }

  void revokeToken(Person person, long id) {
    if (mapper.revokeToken(id, person.id(), clock.instant()) == 0) {
      throw ApiException.notFound("token", String.valueOf(id));
    }
  }

  private static Person person(AccessMapper.User user) {
    return new Person(user.id(), user.name(), user.oneTime());
  }

  private String secret(int length) {
    StringBuilder out = new StringBuilder();
    for (int i = 0; i < length; i++) {
      out.append(ALPHABET.charAt(random.nextInt(ALPHABET.length())));
    }
    return out.toString();
  }

  /** Secrets are long and random, so a plain hash keeps them; passwords are not, and get bcrypt. */
  private static String hash(String secret) {
    return TextHash.sha256(secret);
  }
}
