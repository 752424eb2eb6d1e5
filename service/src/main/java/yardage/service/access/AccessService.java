package yardage.service.access;

import java.security.SecureRandom;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.http.HttpStatus;
import org.springframework.security.crypto.bcrypt.BCryptPasswordEncoder;
import org.springframework.stereotype.Service;
import yardage.service.PrivateFiles;
import yardage.service.TextHash;
import yardage.service.YardageProperties;
import yardage.service.web.ApiException;

/** Signs people and programs in. */
@Service
public class AccessService {
  private static final Logger LOG = LoggerFactory.getLogger(AccessService.class);
  static final String FIRST_ADMINISTRATOR = "admin";
  private static final int HASHES_AT_ONCE = 2;
  private static final Duration HASH_WAIT = Duration.ofSeconds(3);
  private static final int MAX_NAME_LENGTH = 64;
  private static final int MAX_TOKEN_DAYS = 366;
  private static final Duration TOUCH_EVERY = Duration.ofMinutes(1);
  private static final String ALPHABET = "abcdefghijkmnpqrstuvwxyz23456789";

  private final AccessMapper mapper;
  private final YardageProperties properties;
  private final Clock clock;
  private final SecureRandom random = new SecureRandom();
  private final BCryptPasswordEncoder encoder = new BCryptPasswordEncoder(10);
  private final String unknownUserHash = encoder.encode("nobody");

  /** Hashing a password is slow on purpose; no crowd of askers may take all processors for it. */
  private final Semaphore hashing = new Semaphore(HASHES_AT_ONCE);

  private final SignInPace pace;

  AccessService(AccessMapper mapper, YardageProperties properties, Clock clock) {
    this.mapper = mapper;
    this.properties = properties;
    this.clock = clock;
    this.pace = new SignInPace(clock);
  }

  /** What somebody may do. */
  public enum Scope {
    ALL,
    READ;

    static Scope parse(String word) {
      try {
        return valueOf(word.toUpperCase(java.util.Locale.ROOT));
      } catch (IllegalArgumentException e) {
        throw new ApiException(
            HttpStatus.BAD_REQUEST,
            "unknown-scope",
            "A token may do [%s]? There are: all, read".formatted(word),
            "Use one of them");
      }
    }
  }

  /**
   * Somebody signed in.
   *
   * @param sign which session or token it was, by its number
   */
  public record Person(long id, String name, boolean mustChangePassword, Scope scope, long sign) {}

  /** A secret that is shown once, and whose it is. */
  record Issued(String secret, Person person, Instant expiresAt) {}

  /**
   * Makes the first administrator. The one-time password goes into a file that only the service's
   * account can read, where the launcher takes it from; without such a file, to standard output,
   * once, and nowhere else.
   */
  @EventListener(ApplicationReadyEvent.class)
  public void makeFirstAdministrator() {
    if (mapper.countUsers() == 0) {
      String password = secret(16);
      String words = FIRST_ADMINISTRATOR + " with the one-time password " + password;
      if (properties.firstSignIn() == null) {
        System.out.println("First sign-in: " + words);
      } else {
        PrivateFiles.write(properties.firstSignIn(), words + "\n");
      }
      mapper.insertUser(FIRST_ADMINISTRATOR, encoder.encode(password), clock.instant());
    }
  }

  Issued signIn(String name, String password, String address) {
    Duration wait = pace.wait(name, address);
    if (!wait.isZero()) {
      LOG.warn("A sign-in from {} was put off: too many wrong ones before it", address);
      throw new ApiException(
          HttpStatus.TOO_MANY_REQUESTS,
          "wait-to-sign-in",
          "There were too many wrong passwords",
          "Wait for %d s, then try again".formatted(wait.toSeconds() + 1));
    }
    Optional<AccessMapper.User> user =
        name.length() > MAX_NAME_LENGTH ? Optional.empty() : mapper.userByName(name);
    // The same work for a name that is not there, so that the time does not tell.
    boolean right =
        matches(password, user.map(AccessMapper.User::passwordHash).orElse(unknownUserHash));
    if (user.isEmpty() || !right) {
      int tries = pace.failed(name, address);
      // A name that is not known may be a password typed into the wrong field.
      LOG.warn(
          "Wrong sign-in from {}, {}: {} in a row",
          address,
          user.map(u -> "as [" + u.name() + "]").orElse("as nobody who is known"),
          tries);
      throw new ApiException(
          HttpStatus.UNAUTHORIZED,
          "wrong-sign-in",
          "The name or the password is wrong",
          "Try again; the first administrator's one-time password was printed when the service first started");
    }
    pace.succeeded(name);
    LOG.info("[{}] signed in from {}", user.get().name(), address);
    return issue(
        user.get(),
        "session",
        "console",
        Scope.ALL,
        clock.instant().plus(properties.consoleSessions()));
  }

  private boolean matches(String password, String hash) {
    if (Passwords.tooLong(password)) {
      return false;
    }
    return hashing(() -> encoder.matches(password, hash));
  }

  private <T> T hashing(Supplier<T> work) {
    boolean mine = false;
    try {
      mine = hashing.tryAcquire(HASH_WAIT.toMillis(), TimeUnit.MILLISECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
    if (!mine) {
      throw new ApiException(
          HttpStatus.SERVICE_UNAVAILABLE,
          "too-many-at-once",
          "Many people are signing in at this moment",
          "Try again in a few seconds");
    }
    try {
      return work.get();
    } finally {
      hashing.release();
    }
  }

  private Issued issue(
      AccessMapper.User user, String kind, String name, Scope scope, Instant expires) {
    String secret = (kind.equals("token") ? "yt_" : "ys_") + secret(40);
    mapper.insertSignIn(
        user.id(), kind, name, scope.name(), hash(secret), clock.instant(), expires);
    return new Issued(
        secret, new Person(user.id(), user.name(), user.oneTime(), scope, 0), expires);
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

  /** Ends the session or the token that somebody came with. */
  void signOut(Person person) {
    mapper.revoke(person.sign(), person.id(), clock.instant());
  }

  /** Sets a new password; every other session and every token of the same person ends. */
  void changePassword(Person person, String current, String next) {
    AccessMapper.User user = mapper.userByName(person.name()).orElseThrow();
    // The same pace as for signing in: a stolen session must not find the password out.
    if (!pace.wait(user.name(), "session").isZero() || !matches(current, user.passwordHash())) {
      pace.failed(user.name(), "session");
      LOG.warn("[{}] gave a wrong password to change it", user.name());
      throw new ApiException(
          HttpStatus.FORBIDDEN,
          "wrong-password",
          "The current password is wrong",
          "Type the password that you signed in with; after several wrong ones, wait a minute first");
    }
    Optional<String> weakness =
        next.equals(current)
            ? Optional.of("must be another one than now")
            : Passwords.weakness(next, user.name());
    if (weakness.isPresent()) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "weak-password",
          "The new password " + weakness.get(),
          "Choose another one; several words in a row are easy to keep in mind");
    }
    mapper.setPassword(person.id(), hashing(() -> encoder.encode(next)));
    int ended = mapper.revokeOthers(person.id(), person.sign(), clock.instant());
    LOG.info("[{}] has a new password; {} sessions and tokens ended", user.name(), ended);
  }

  Issued makeToken(Person person, String name, Scope scope, Optional<Integer> days) {
    int good = days.orElse(properties.tokenDays());
    if (good < 1 || good > MAX_TOKEN_DAYS) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "wrong-value",
          "A token cannot be good for %,d days".formatted(good),
          "Give 1 to %d days".formatted(MAX_TOKEN_DAYS));
    }
    if (person.scope() == Scope.READ && scope != Scope.READ) {
      throw new ApiException(
          HttpStatus.FORBIDDEN,
          "token-reads-only",
          "A token that may only read cannot make one that may do more",
          "Make it from a sign-in");
    }
    AccessMapper.User user = mapper.userByName(person.name()).orElseThrow();
    LOG.info("[{}] made the token [{}]", user.name(), name);
    return issue(user, "token", name, scope, clock.instant().plus(Duration.ofDays(good)));
  }

  List<AccessMapper.SignInRow> tokens(Person person) {
    return mapper.tokens(person.id());
  }

  void revokeToken(Person person, long id) {
    if (mapper.revokeToken(id, person.id(), clock.instant()) == 0) {
      throw ApiException.notFound("token", String.valueOf(id));
    }
  }

  private static Person person(AccessMapper.SignedIn in) {
    return new Person(in.id(), in.name(), in.oneTime(), Scope.valueOf(in.scope()), in.sign());
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
