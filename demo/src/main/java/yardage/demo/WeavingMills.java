package yardage.demo;

import java.io.BufferedWriter;
import java.io.IOException;
import java.io.OutputStreamWriter;
import java.io.Writer;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.format.DateTimeFormatter;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.zip.GZIPOutputStream;

/**
 * Writes the raw files of the weaving mills, one roll after the other, in memory that does not grow
 * with their number. The same seed and the same number of rolls give the same bytes.
 */
public final class WeavingMills {
  static final LocalDate FIRST_DAY = LocalDate.of(2026, 1, 5);
  static final int DAYS = 90;
  static final int MILLS = 6;
  static final int LOOMS = 212;
  static final int PATTERNS = 40;
  private static final DateTimeFormatter LEDGER_TIME =
      DateTimeFormatter.ofPattern("dd.MM.yyyy HH:mm");
  static final String[] TOWNS = {"Veltrim", "Ondreva", "Torvi", "Quellor", "Brunvale", "Hasko"};
  private static final String[] WEAVES = {
    "Twill", "Satin", "Plain", "Herringbone", "Basket", "Dobby", "Canvas", "Gauze"
  };
  static final String[] HUES = {"Indigo", "Madder", "Woad", "Weld", "Undyed"};
  private static final String[] NOTES = {
    "",
    "",
    "",
    "edge frayed",
    "weft change at 30 m",
    "said \"fine\" by night shift",
    "2nd beam; checked",
    "tens\u00e3o alta"
  };
  private static final String[] DEFECTS = {"slub", "hole", "stain", "float", "broken end"};
  private static final String LEDGER =
      "roll_id~|loom_code~|pattern_code~|woven_at~|len_m~|width_cm~|operator_note~|received_at\n";

  private final long seed;
  private final long rolls;
  private final Expected expected = new Expected();

  /** What a right engine finds: counts by name, made here line by line. */
  public static final class Expected {
    private final Map<String, Long> counts = new LinkedHashMap<>();
    private BigDecimal metres = BigDecimal.ZERO;

    void add(String name, long n) {
      counts.merge(name, n, Long::sum);
    }

    public long count(String name) {
      return counts.getOrDefault(name, 0L);
    }

    /** Metres of all rolls in the mart. */
    public BigDecimal metres() {
      return metres;
    }

    public Map<String, Long> counts() {
      return Map.copyOf(counts);
    }
  }

  private WeavingMills(long seed, long rolls) {
    this.seed = seed;
    this.rolls = rolls;
  }

  /** Writes all files below {@code inbox} and says what is in them. */
  public static Expected write(Path inbox, long rolls, long seed) throws IOException {
    WeavingMills mills = new WeavingMills(seed, rolls);
    mills.reference(inbox);
    mills.ledger(inbox);
    new YardFiles(seed, mills.expected).write(inbox);
    return mills.expected;
  }

  private void reference(Path inbox) throws IOException {
    try (Writer out = open(inbox.resolve("reference/mills.csv"), false)) {
      out.write("mill_code,mill_name,town,opened_on\n");
      for (int m = 0; m < MILLS; m++) {
        out.write(
            "M%d,\"%s Mill, No. %d\",%s,%d-04-01\n"
                .formatted(m + 1, TOWNS[m], m + 1, TOWNS[m], 1921 + 7 * m));
      }
    }
    try (Writer out = open(inbox.resolve("reference/looms.csv"), false)) {
      out.write("loom_code,mill_code,hall,width_cm,installed_on,rated_ppm\n");
      for (int l = 0; l < LOOMS; l++) {
        SplittableRandom random = new SplittableRandom(seed * 31 + l);
        out.write(
            "%s,M%d,%s,%d,%d-%02d-15,%s\n"
                .formatted(
                    loomCode(l),
                    l % MILLS + 1,
                    "North South East".split(" ")[l / MILLS % 3],
                    140 + 20 * random.nextInt(5),
                    1998 + random.nextInt(26),
                    1 + random.nextInt(12),
                    random.nextInt(20) == 0 ? "n/a" : String.valueOf(320 + random.nextInt(300))));
      }
    }
    try (Writer out = open(inbox.resolve("reference/patterns.csv"), false)) {
      out.write("pattern_code,pattern_name,weave,price_per_m\n");
      for (int p = 0; p < PATTERNS; p++) {
        out.write(
            "%s,%s %s,%s,%s\n"
                .formatted(
                    patternCode(p),
                    HUES[p % HUES.length],
                    WEAVES[p / HUES.length],
                    WEAVES[p / HUES.length],
                    BigDecimal.valueOf(450 + 37L * p, 2)));
      }
    }
    try (Writer out = open(inbox.resolve("reference/holidays.csv"), false)) {
      out.write(
          "free_on,holiday\n2026-01-01,New Year\n2026-02-16,Shuttle Day\n2026-04-03,Feast of the looms\n2026-05-01,Day of labour\n2026-12-25,Christmas\n");
    }
    expected.add("mills", MILLS);
    expected.add("looms", LOOMS);
    expected.add("patterns", PATTERNS);
  }

  private void ledger(Path inbox) throws IOException {
    long next = 0;
    Writer inspections = null;
    int inspectionMonth = 0;
    for (int day = 0; day < DAYS; day++) {
      LocalDate date = FIRST_DAY.plusDays(day);
      if (date.getMonthValue() != inspectionMonth) {
        if (inspections != null) {
          inspections.close();
        }
        inspectionMonth = date.getMonthValue();
        inspections =
            open(
                inbox.resolve(
                    "inspections/inspections-%s.jsonl".formatted(date.toString().substring(0, 7))),
                false);
      }
      // The name does not say that it is gzip: every third day is not.
      try (Writer out =
          open(inbox.resolve("roll-ledger/ledger-%s.txt".formatted(date)), day % 3 != 2)) {
        out.write(LEDGER);
        for (long end = rolls * (day + 1) / DAYS; next < end; next++) {
          roll(next, date, out, inspections);
        }
      }
    }
    inspections.close();
  }

  private void roll(long number, LocalDate date, Writer out, Writer inspections)
      throws IOException {
    SplittableRandom random = new SplittableRandom(seed * 1_000_003 + number);
    String id = "R%08d".formatted(number + 1);
    boolean unknownLoom = random.nextInt(250) == 0;
    String loom =
        unknownLoom ? "L-9" + (100 + random.nextInt(20)) : loomCode(random.nextInt(LOOMS));
    String written = random.nextInt(10) < 3 ? loom + " ".repeat(1 + random.nextInt(3)) : loom;
    String pattern = patternCode(random.nextInt(PATTERNS));
    LocalDateTime woven = date.atTime(random.nextInt(24), random.nextInt(60));
    BigDecimal metres =
        random.nextInt(500) == 0
            ? BigDecimal.ZERO.setScale(2)
            : BigDecimal.valueOf(2000 + random.nextInt(9000), 2);
    int width = 140 + 20 * random.nextInt(5);
    String note = NOTES[random.nextInt(NOTES.length)];
    LocalDateTime received = woven.plusMinutes(20 + random.nextInt(200));
    line(out, id, written, pattern, woven, metres, width, note, received);
    expected.add("ledger.good", 1);
    if (random.nextInt(100) < 2) {
      line(out, id, written, pattern, woven, metres, width, note, received);
      expected.add("ledger.good", 1);
      expected.add(metres.signum() > 0 ? "merged" : "filtered", 1);
    }
    if (random.nextInt(100) < 1) {
      // A corrected line comes later and counts instead of the first; nothing is corrected to no
      // length.
      BigDecimal corrected =
          metres.signum() == 0
              ? metres
              : metres.add(BigDecimal.valueOf(1 + random.nextInt(400), 2));
      line(out, id, written, pattern, woven, corrected, width, note, received.plusHours(5));
      expected.add("ledger.good", 1);
      expected.add(metres.signum() > 0 ? "merged" : "filtered", 1);
      metres = corrected;
    }
    if (random.nextInt(100) < 1) {
      broken(out, random, id, loom, pattern, woven);
    }
    boolean usable = metres.signum() > 0;
    expected.add(usable ? "rolls" : "filtered", 1);
    boolean inspected = random.nextInt(100) < 95;
    if (inspected) {
      inspection(inspections, number * 2, id, woven, random);
      if (random.nextInt(100) == 0) {
        inspection(inspections, number * 2 + 1, id, woven.plusDays(1), random);
        expected.add("reinspected", 1);
      }
      expected.add("inspected", 1);
    }
    if (usable && unknownLoom) {
      expected.add("unknown-loom", 1);
    }
    if (usable && !unknownLoom) {
      expected.add(inspected ? "mart.rolls" : "uninspected", 1);
      if (inspected) {
        expected.metres = expected.metres.add(metres);
      }
    }
  }

  private static void line(
      Writer out,
      String id,
      String loom,
      String pattern,
      LocalDateTime woven,
      BigDecimal metres,
      int width,
      String note,
      LocalDateTime received)
      throws IOException {
    // A note that holds quotes is quoted, its quotes doubled.
    String text = note.indexOf('"') >= 0 ? '"' + note.replace("\"", "\"\"") + '"' : note;
    out.write(
        String.join(
            "~|",
            id,
            loom,
            pattern,
            LEDGER_TIME.format(woven),
            metres.toPlainString(),
            String.valueOf(width),
            text,
            LEDGER_TIME.format(received)));
    out.write('\n');
  }

  private void broken(
      Writer out,
      SplittableRandom random,
      String id,
      String loom,
      String pattern,
      LocalDateTime woven)
      throws IOException {
    String at = LEDGER_TIME.format(woven);
    switch (random.nextInt(5)) {
      case 0 -> {
        out.write(String.join("~|", id, loom, pattern, at, "44.10") + "\n");
        expected.add("ledger.too-few-fields", 1);
      }
      case 1 -> {
        out.write(String.join("~|", id, loom, pattern, at, "44,10", "160", "comma", at) + "\n");
        expected.add("ledger.wrong-type", 1);
      }
      case 2 -> {
        out.write(
            String.join(
                    "~|", id, loom, pattern, "30.02.2026 10:00", "44.10", "160", "no such day", at)
                + "\n");
        expected.add("ledger.wrong-type", 1);
      }
      case 3 -> {
        out.write(
            String.join("~|", id, loom, pattern, at, "44.10", "160", "stray", "separator", at)
                + "\n");
        expected.add("ledger.too-many-fields", 1);
      }
      default -> {
        out.write(String.join("~|", "", loom, pattern, at, "44.10", "160", "", at) + "\n");
        expected.add("ledger.missing-value", 1);
      }
    }
    expected.add("ledger.broken", 1);
  }

  private void inspection(
      Writer out, long number, String roll, LocalDateTime woven, SplittableRandom random)
      throws IOException {
    inspection(out, number, roll, woven, random, "");
    expected.add("inspections", 1);
  }

  private static void inspection(
      Writer out,
      long number,
      String roll,
      LocalDateTime woven,
      SplittableRandom random,
      String more)
      throws IOException {
    int defects = Math.max(0, random.nextInt(14) - 8);
    String grade = defects == 0 ? "A" : defects < 3 ? "B" : "C";
    StringBuilder list = new StringBuilder();
    for (int d = 0; d < defects; d++) {
      list.append(
          "%s{\"kind\":\"%s\",\"at_m\":%d.%d}"
              .formatted(
                  d > 0 ? "," : "",
                  DEFECTS[random.nextInt(DEFECTS.length)],
                  random.nextInt(20, 100),
                  random.nextInt(10)));
    }
    out.write(
        "{\"inspection_id\":\"I%09d\",\"roll_id\":\"%s\",\"inspected_at\":\"%s\",\"inspector\":{\"name\":\"Inspector %c\",\"shift\":%d},\"grade\":\"%s\",\"defects\":[%s]%s%s}\n"
            .formatted(
                number,
                roll,
                woven.plusHours(2 + random.nextInt(20)),
                (char) ('A' + random.nextInt(8)),
                1 + random.nextInt(3),
                grade,
                list,
                defects > 3 ? ",\"remark\":\"holes; see \\\"photo\\\"\"" : "",
                more));
  }

  /**
   * Files of later days, kept beside the inbox: inspections with a field that is new, a ledger that
   * is mostly malformed, and one that breaks off.
   */
  public static void writeLaterDays(Path folder, long seed) throws IOException {
    LocalDate date = FIRST_DAY.plusDays(DAYS + 30);
    SplittableRandom random = new SplittableRandom(seed);
    try (Writer out = open(folder.resolve("inspections-2026-05.jsonl"), false)) {
      for (int n = 0; n < 300; n++) {
        String more =
            n < 120 ? "" : ",\"light\":{\"lux\":%d,\"lamp\":\"LED-%d\"}".formatted(400 + n, n % 4);
        inspection(
            out, 900_000_000L + n, "R%08d".formatted(n + 1), date.atTime(6, n % 60), random, more);
      }
    }
    try (Writer out = open(folder.resolve("ledger-malformed.txt"), false)) {
      out.write(LEDGER);
      for (int n = 0; n < 50; n++) {
        out.write("R9%07d~|L-0001~|P001~|%s~|%s\n".formatted(n, date, n));
      }
    }
    Path whole = folder.resolve("ledger-truncated.txt.whole");
    try (Writer out = open(whole, true)) {
      out.write(LEDGER);
      for (int n = 0; n < 20_000; n++) {
        line(
            out,
            "R8%07d".formatted(n),
            loomCode(random.nextInt(LOOMS)),
            patternCode(random.nextInt(PATTERNS)),
            date.atTime(8, n % 60),
            BigDecimal.valueOf(2000 + random.nextInt(9000), 2),
            160,
            "",
            date.atTime(12, n % 60));
      }
    }
    byte[] bytes = Files.readAllBytes(whole);
    Files.write(
        folder.resolve("ledger-truncated.txt"),
        java.util.Arrays.copyOf(bytes, bytes.length * 2 / 3));
    Files.delete(whole);
  }

  static String loomCode(int loom) {
    return "L-%04d".formatted(loom + 1);
  }

  static String patternCode(int pattern) {
    return "P%03d".formatted(pattern + 1);
  }

  static Writer open(Path file, boolean gzip) throws IOException {
    Files.createDirectories(file.getParent());
    var raw = Files.newOutputStream(file);
    return new BufferedWriter(
        new OutputStreamWriter(
            gzip ? new GZIPOutputStream(raw, 1 << 16) : raw, StandardCharsets.UTF_8),
        1 << 16);
  }
}
