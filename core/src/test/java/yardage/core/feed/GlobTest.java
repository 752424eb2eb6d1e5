package yardage.core.feed;

import static org.junit.jupiter.api.Assertions.*;

import java.nio.file.FileSystems;
import java.nio.file.Path;
import java.nio.file.PathMatcher;
import java.util.List;
import java.util.SplittableRandom;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;

/** Patterns match what the platform's own matcher of paths matches. */
class GlobTest {
  private static final List<String> PIECES =
      List.of(
          "a", "b", "ab", ".", "-", "/", "*", "**", "?", "[ab]", "[!a]", "[a-c]", "{a,b}",
          "{ab,b*}", "\\*", "(", "+", "$", "csv", "é");

  @Test
  void randomPatternsMatchWhatThePlatformMatches() {
    SplittableRandom random = new SplittableRandom(17);
    int matched = 0;
    for (int i = 0; i < 20_000; i++) {
      StringBuilder pattern = new StringBuilder();
      for (int p = random.nextInt(1, 7); p > 0; p--) {
        pattern.append(PIECES.get(random.nextInt(PIECES.size())));
      }
      StringBuilder path = new StringBuilder("a");
      for (int p = random.nextInt(6); p > 0; p--) {
        path.append("ab.c-*/(é".charAt(random.nextInt(9)));
      }
      // A path of the platform drops slashes that say nothing.
      String plain = Path.of(path.toString()).toString();
      PathMatcher theirs = FileSystems.getDefault().getPathMatcher("glob:" + pattern);
      boolean expected = theirs.matches(Path.of(plain));
      matched += expected ? 1 : 0;
      assertEquals(
          expected, Glob.compile(pattern.toString()).matches(plain), pattern + " over " + plain);
    }
    assertTrue(matched > 500, matched + " matched");
  }

  @Test
  void whatIsNoPatternSaysWhy() {
    Stream.of("[ab", "{a,b", "{a,{b}}", "a\\", "[a/b]", "[c-a]")
        .forEach(
            text -> {
              var wrong =
                  assertThrows(IllegalArgumentException.class, () -> Glob.compile(text), text);
              assertFalse(wrong.getMessage().isBlank());
              assertThrows(
                  IllegalArgumentException.class,
                  () -> FileSystems.getDefault().getPathMatcher("glob:" + text),
                  "the platform takes " + text);
            });
    assertEquals(
        "Pattern [rolls/[ab.csv] cannot be read: a [ is never closed",
        FileDiscovery.complaint("rolls/[ab.csv").orElseThrow());
  }
}
