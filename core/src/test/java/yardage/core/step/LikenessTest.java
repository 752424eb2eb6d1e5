package yardage.core.step;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.EnumSource;
import yardage.core.column.Column;
import yardage.core.column.DoubleColumn;
import yardage.core.column.IntColumn;
import yardage.core.column.TextBuilder;
import yardage.core.column.Type;
import yardage.core.exec.ExecutionContext;
import yardage.core.expr.Likeness;
import yardage.core.expr.Texts;

/**
 * Likeness against its definition: every pair compared, groups closed by going on until no change.
 */
class LikenessTest {
  private static final long SEED = Long.getLong("yardage.seed", 42);
  private static final String[] WORDS = {
    "Fiação",
    "Fiacao",
    "do",
    "Norte",
    "Nort",
    "Tecelagem",
    "Serra",
    "Sera",
    "Lda",
    "& Irmãos",
    "São",
    "Bento"
  };

  private static List<String> names(SplittableRandom random, int n) {
    List<String> out = new ArrayList<>();
    for (int i = 0; i < n; i++) {
      StringBuilder name = new StringBuilder();
      for (int w = random.nextInt(0, 4); w >= 0; w--) {
        name.append(WORDS[random.nextInt(WORDS.length)])
            .append(random.nextInt(3) == 0 ? "  " : " ");
      }
      if (random.nextInt(3) == 0) {
        name.setCharAt(random.nextInt(name.length()), (char) ('a' + random.nextInt(26)));
      }
      out.add(random.nextInt(20) == 0 ? null : name.toString());
    }
    return out;
  }

  @ParameterizedTest
  @EnumSource(LikenessStep.Measure.class)
  void groupsAreThoseOfTheDefinition(LikenessStep.Measure measure) {
    SplittableRandom random = new SplittableRandom(SEED);
    for (double least : new double[] {0.3, 0.55, 0.7, 0.85, 1}) {
      List<String> names = names(random, 250);
      int[] blocks = random.ints(names.size(), 0, 2).toArray();

      int[] found = groups(names, blocks, measure, least);

      assertEquals(
          java.util.Arrays.toString(defined(names, blocks, measure, least)),
          java.util.Arrays.toString(found),
          measure + " " + least + ", seed " + SEED);
    }
  }

  /** However little memory makes the step look at some blocks at a time. */
  @ParameterizedTest
  @EnumSource(LikenessStep.Measure.class)
  void blocksAloneGiveTheScoresOfBlocksTogether(LikenessStep.Measure measure) {
    SplittableRandom random = new SplittableRandom(SEED);
    List<String> names = names(random, 4_000);
    // One that is looked through in passes, a middle one, and small ones.
    int[] blocks = random.ints(names.size(), 0, 40).map(b -> b < 20 ? 0 : b < 30 ? 1 : b).toArray();
    DoubleColumn together = scores(names, blocks, measure);

    for (int block : new int[] {0, 1, 35}) {
      int[] rows = IntStream.range(0, names.size()).filter(r -> blocks[r] == block).toArray();
      DoubleColumn alone =
          scores(IntStream.of(rows).mapToObj(names::get).toList(), new int[rows.length], measure);
      for (int i = 0; i < rows.length; i++) {
        assertEquals(
            together.value(rows[i]), alone.value(i), names.get(rows[i]) + ", seed " + SEED);
      }
    }
  }

  private static DoubleColumn scores(
      List<String> names, int[] blocks, LikenessStep.Measure measure) {
    return (DoubleColumn) alike(names, blocks, measure, 0.6).get(3);
  }

  private static int[] groups(
      List<String> names, int[] blocks, LikenessStep.Measure measure, double least) {
    return ((IntColumn) alike(names, blocks, measure, least).get(2)).values();
  }

  private static List<Column> alike(
      List<String> names, int[] blocks, LikenessStep.Measure measure, double least) {
    TextBuilder texts = new TextBuilder();
    for (String name : names) {
      if (name == null) {
        texts.appendNull();
      } else {
        texts.append(name);
      }
    }
    List<Column> columns =
        List.of(new IntColumn(Type.INT, blocks, null, blocks.length), texts.build());
    return new LikenessStep(new int[] {0}, 1, measure, least)
        .apply(columns, ExecutionContext.standalone(1 << 28));
  }

  private static int[] defined(
      List<String> names, int[] blocks, LikenessStep.Measure measure, double least) {
    int n = names.size();
    int[] group = new int[n];
    for (int i = 0; i < n; i++) {
      group[i] = i;
    }
    boolean changed = true;
    while (changed) {
      changed = false;
      for (int i = 0; i < n; i++) {
        for (int j = 0; j < i; j++) {
          boolean same =
              blocks[i] == blocks[j]
                  && names.get(i) != null
                  && names.get(j) != null
                  && alike(names.get(i), names.get(j), measure, least);
          if (same && group[i] != group[j]) {
            int low = Math.min(group[i], group[j]);
            group[i] = group[j] = low;
            changed = true;
          }
        }
      }
    }
    List<Integer> seen = new ArrayList<>();
    int[] out = new int[n];
    for (int i = 0; i < n; i++) {
      if (!seen.contains(group[i])) {
        seen.add(group[i]);
      }
      out[i] = seen.indexOf(group[i]) + 1;
    }
    return out;
  }

  private static boolean alike(String x, String y, LikenessStep.Measure measure, double least) {
    String a = Texts.plain(x);
    String b = Texts.plain(y);
    if (a.equals(b)) {
      return true;
    }
    return switch (measure) {
      case TRIGRAMS -> Likeness.trigramShare(Likeness.trigrams(a), Likeness.trigrams(b)) >= least;
      case EDITS -> Likeness.editShare(a, b) >= least - 1e-12;
      case SOUND -> Likeness.sound(a).equals(Likeness.sound(b));
    };
  }

  @ParameterizedTest
  @CsvSource({
    "Robert, r163",
    "Rupert, r163",
    "Ashcraft, a261",
    "Ashcroft, a261",
    "Tymczak, t522",
    "Pfister, p236",
    "Honeyman, h555"
  })
  void soundsAreThoseOfTheCensus(String name, String code) {
    assertEquals(code, Likeness.sound(Texts.plain(name)));
  }

  @Test
  void editsAreThoseOfTheTextbook() {
    assertEquals(3, Likeness.edits("kitten", "sitting", 10));
    assertEquals("fiacao do norte lda", Texts.plain("  Fiação do NORTE,   Lda. "));
  }
}
