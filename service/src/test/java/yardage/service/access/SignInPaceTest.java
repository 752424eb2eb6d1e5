package yardage.service.access;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class SignInPaceTest {
  private Instant now = Instant.parse("2026-03-01T08:00:00Z");
  private final SignInPace pace =
      new SignInPace(
          new Clock() {
            @Override
            public ZoneId getZone() {
              return ZoneOffset.UTC;
            }

            @Override
            public Clock withZone(ZoneId zone) {
              return this;
            }

            @Override
            public Instant instant() {
              return now;
            }
          });

  @Test
  void eachWrongPasswordAfterTheFifthWaitsTwiceAsLongUpToAMinute() {
    List<Long> waits = new ArrayList<>();
    for (int i = 0; i < 14; i++) {
      waits.add(pace.wait("ana", "10.0.0." + i).toSeconds());
      now = now.plus(pace.wait("ana", "10.0.0." + i));
      pace.failed("ana", "10.0.0." + i);
    }

    assertEquals(List.of(0L, 0L, 0L, 0L, 0L, 1L, 2L, 4L, 8L, 16L, 32L, 60L, 60L, 60L), waits);
    assertEquals(Duration.ZERO, pace.wait("rui", "10.0.0.1"), "another name does not wait");
  }

  @Test
  void oneAddressThatTriesManyNamesWaitsToo() {
    for (int i = 0; i < SignInPace.FREE_TRIES_OF_AN_ADDRESS; i++) {
      assertEquals(Duration.ZERO, pace.wait("name" + i, "10.0.0.9"));
      pace.failed("name" + i, "10.0.0.9");
    }

    assertEquals(Duration.ofSeconds(1), pace.wait("ana", "10.0.0.9"));
    assertEquals(Duration.ZERO, pace.wait("ana", "10.0.0.8"));
  }

  @Test
  void signingInOrAQuarterOfAnHourForgets() {
    for (int i = 0; i < 7; i++) {
      pace.failed("ana", "a" + i);
      pace.failed("rui", "a" + i);
    }
    pace.succeeded("ana");
    assertEquals(Duration.ZERO, pace.wait("ana", "b"));

    now = now.plus(Duration.ofMinutes(16));
    assertEquals(Duration.ZERO, pace.wait("rui", "b"));
    assertEquals(1, pace.failed("rui", "b"));
  }

  @ParameterizedTest
  @CsvSource({
    "aaaaaaaaaa, different",
    "abababababab, different",
    "1234567890, row of keys",
    "poiuytrewq, row of keys",
    "Password1234, many people",
    "letmeinnow!!, many people",
    "short, 10 characters",
    "üüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüüü, at most 72 bytes",
    "ana-margarida-1, your name",
    "looms hum at night, ''",
    "Zimação 41 teares, ''"
  })
  void whatIsTriedFirstIsNoPassword(String password, String said) {
    String weakness = Passwords.weakness(password, "AnaMargarida").orElse("");

    assertEquals(said.isEmpty(), weakness.isEmpty(), weakness);
    assertEquals(true, weakness.contains(said), weakness);
  }
}
