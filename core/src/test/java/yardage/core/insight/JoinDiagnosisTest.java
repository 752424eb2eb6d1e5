package yardage.core.insight;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;
import yardage.core.column.Column;
import yardage.core.column.TextBuilder;
import yardage.core.testing.TestLake;

/** Finds each kind of mismatch that is planted, and none where there is none. */
class JoinDiagnosisTest {
  private static Column texts(List<String> values) {
    TextBuilder out = new TextBuilder();
    for (String v : values) {
      if (v == null) {
        out.appendNull();
      } else {
        out.append(v);
      }
    }
    return out.build();
  }

  private static JoinDiagnosis diagnosis(List<String> left, List<String> right) {
    return JoinDiagnosis.of(
        List.of(texts(left)), List.of("k"), List.of(texts(right)), List.of("c"));
  }

  static Stream<Arguments> planted() {
    return Stream.of(
        planted("blanks", "L-%04d", k -> k + "  "),
        planted("case", "lm-%d", k -> k.toUpperCase(java.util.Locale.ROOT)),
        planted("leading-zeros", "%d", k -> "000" + k),
        planted("inner-blanks", "Hall %d", k -> k.replace(" ", "\u00a0 ")),
        planted("invisible", "R%d", k -> k.charAt(0) + "\u200b" + k.substring(1)),
        planted("accents", "São %d", k -> k.replace("ã", "a")),
        planted("number-format", "%d.5", k -> k + "00"),
        planted(
            "date-format",
            "2026-03-%02d",
            k -> k.substring(8) + "." + k.substring(5, 7) + "." + k.substring(0, 4)),
        planted("prefix", "%d", k -> "LOOM-" + k),
        planted("punctuation", "Twine %d Sons", k -> k.replace(" ", ", ").toUpperCase()));
  }

  private static Arguments planted(String code, String format, UnaryOperator<String> change) {
    return Arguments.of(code, format, change);
  }

  @ParameterizedTest
  @MethodSource("planted")
  void findsWhatIsPlantedOnEitherSide(String code, String format, UnaryOperator<String> change) {
    List<String> plain = new ArrayList<>();
    for (int i = 11; i < 31; i++) {
      plain.add(format.formatted(i));
    }
    List<String> changed = plain.stream().map(change).toList();

    JoinDiagnosis left = diagnosis(changed, plain);
    JoinDiagnosis right = diagnosis(plain, changed);

    for (JoinDiagnosis d : List.of(left, right)) {
      assertEquals(0, d.left().matched());
      JoinDiagnosis.Remedy first = d.remedies().get(0);
      assertEquals(code, first.code(), d.remedies().toString());
      assertEquals(20, first.wouldMatch());
      assertEquals(5, first.examples().size());
    }
    assertEquals(
        new JoinDiagnosis.Pair(changed.get(0), plain.get(0)),
        left.remedies().get(0).examples().get(0));
    if (!List.of("punctuation", "accents").contains(code)) {
      assertEquals(List.of("left"), left.remedies().get(0).sides(), left.remedies().toString());
    }
  }

  @Test
  void isSilentWhereThereIsNothingToMend() {
    SplittableRandom random = new SplittableRandom(42);
    List<String> left = new ArrayList<>();
    List<String> right = new ArrayList<>();
    for (int i = 0; i < 500; i++) {
      left.add("L" + random.nextInt(1000, 5000));
      right.add("P" + random.nextInt(1000, 5000));
    }

    assertEquals(List.of(), diagnosis(left, right).remedies());
    assertEquals(List.of(), diagnosis(left, left).remedies());
    assertEquals(List.of(), diagnosis(List.of(), right).remedies());
  }

  @Test
  void countsNullsMultipliedKeysAndBothSides() {
    List<String> left = new ArrayList<>(List.of("a", "a", "b", "c "));
    left.add(null);
    JoinDiagnosis d = diagnosis(left, List.of("a", "a", "a", "c", "d"));

    assertEquals(new JoinDiagnosis.Side(5, 2, 2, 1, List.of("b", "c ")), d.left());
    assertEquals(new JoinDiagnosis.Side(5, 3, 2, 0, List.of("c", "d")), d.right());
    assertEquals(List.of(new JoinDiagnosis.Worst("a", 2, 3, 6)), d.worst());
    assertEquals(1, d.remedies().get(0).wouldMatch());
  }

  @Test
  void offersTheStepThatMendsAJoin(@TempDir Path folder) {
    TestLake lake = new TestLake(folder);
    lake.declare(
            "feed: rolls\nfiles: r/*\ntext: {}\ntrim: false\ncolumns: {roll: varchar, loom: varchar}\n")
        .declare("feed: looms\nfiles: l/*\ntext: {}\ncolumns: {code: varchar, hall: varchar}\n")
        .file("r/1", "roll,loom\nR1,L1 \nR2, L2\nR3,L3\n")
        .file("l/1", "code,hall\nL1,N\nL2,S\nL3,W\n");
    String pipeline =
        "pipeline: p\nsteps:\n  rolls: {read: {feed: rolls}}\n  looms: {read: {feed: looms}}\n%s  placed: {from: %s, join: {with: looms, on: {loom: code}}}\n  out: {from: placed, write: {table: t.%s}}\n";
    lake.run(pipeline.formatted("", "rolls", "a"));

    var insight = lake.diagnose(pipeline.formatted("", "rolls", "a"), "placed");

    assertEquals(1, insight.diagnosis().left().matched());
    assertEquals(2, insight.diagnosis().remedies().get(0).wouldMatch());
    assertEquals(
        "  rolls_mended:\n    from: rolls\n    shape: {trim: [loom]}", insight.offers().get(0));
    lake.file("r/2", "roll,loom\nR4,L1 \nR5, L2\nR6,L3\n");
    lake.file("l/2", "code,hall\nL1,N\nL2,S\nL3,E\n");
    lake.run(pipeline.formatted(insight.offers().get(0) + "\n", "rolls_mended", "b"));
    assertEquals("[[R4], [R5], [R6]]", lake.query("select roll from t.b order by 1").toString());
  }
}
