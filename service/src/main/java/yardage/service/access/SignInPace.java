package yardage.service.access;

import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.Map;

/**
 * Slows guessing down: after a few wrong passwords for a name, or many from an address, each
 * further one has to wait, twice as long as the one before, up to a minute. What is remembered is
 * bounded and forgotten after a quarter of an hour.
 *
 * <p>Somebody who guesses can keep a name waiting for a minute at a time. That is the price; a
 * person who is signed in already is not touched by it.
 */
final class SignInPace {
  static final int FREE_TRIES_OF_A_NAME = 5;
  static final int FREE_TRIES_OF_AN_ADDRESS = 30;
  private static final Duration LONGEST = Duration.ofMinutes(1);
  private static final Duration REMEMBERED = Duration.ofMinutes(15);
  private static final int MOST = 10_000;

  private record Failures(int count, Instant last) {}

  private final Clock clock;
  private final Map<String, Failures> failures =
      new LinkedHashMap<>() {
        @Override
        protected boolean removeEldestEntry(Map.Entry<String, Failures> eldest) {
          return size() > MOST;
        }
      };

  SignInPace(Clock clock) {
    this.clock = clock;
  }

  /** How long to wait before a try is taken; zero for none. */
  synchronized Duration wait(String name, String address) {
    Duration forName = wait("name " + name, FREE_TRIES_OF_A_NAME);
    Duration forAddress = wait("address " + address, FREE_TRIES_OF_AN_ADDRESS);
    return forName.compareTo(forAddress) > 0 ? forName : forAddress;
  }

  private Duration wait(String key, int free) {
    Failures f = failures.get(key);
    Instant now = clock.instant();
    if (f == null || f.last().plus(REMEMBERED).isBefore(now) || f.count() < free) {
      return Duration.ZERO;
    }
    long seconds = Math.min(LONGEST.toSeconds(), 1L << Math.min(30, f.count() - free));
    Duration left = Duration.between(now, f.last().plusSeconds(seconds));
    return left.isNegative() ? Duration.ZERO : left;
  }

  /** A wrong try; gives how many there were for the name. */
  synchronized int failed(String name, String address) {
    count("address " + address);
    return count("name " + name);
  }

  private int count(String key) {
    Failures f = failures.remove(key);
    Instant now = clock.instant();
    int before = f == null || f.last().plus(REMEMBERED).isBefore(now) ? 0 : f.count();
    failures.put(key, new Failures(before + 1, now));
    return before + 1;
  }

  synchronized void succeeded(String name) {
    failures.remove("name " + name);
  }
}
