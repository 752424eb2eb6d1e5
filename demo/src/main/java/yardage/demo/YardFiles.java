package yardage.demo;

import java.io.IOException;
import java.io.Writer;
import java.math.BigDecimal;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.SplittableRandom;

/** The raw files around the rolls: yarn, gates, suppliers, looms on the move, shipments, hours. */
final class YardFiles {
  private static final String[] FIBRES = {"cotton", "linen", "wool", "hemp"};
  private static final int SUPPLIERS = 45;
  private static final String[] HALLS = {"North", "South", "East"};
  private static final String[] SUPPLIER_KINDS = {
    "Tinturaria",
    "Peças Rápidas",
    "Carvões",
    "Máquinas",
    "Embalagens",
    "Óleos",
    "Transportes",
    "Fios",
    "Botões"
  };
  private static final String[] SUPPLIER_NAMES = {
    "Moreira", "Vale Fundo", "Quintanilha", "Estrela do Norte", "Zambujal"
  };
  private static final String[] SPINNERS = {
    "Fia\u00e7\u00e3o da Serra", "Twine &amp; Sons", "Webtal Spinnerei", "Filatures r\u00e9unies"
  };
  private static final String LOTS_XSD =
      """
      <?xml version="1.0" encoding="UTF-8"?>
      <xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">
        <xs:element name="lots">
          <xs:complexType>
            <xs:sequence>
              <xs:element name="lot" maxOccurs="unbounded" type="lot"/>
            </xs:sequence>
            <xs:attribute name="month" type="xs:gYearMonth" use="required"/>
          </xs:complexType>
        </xs:element>
        <xs:complexType name="lot">
          <xs:sequence>
            <xs:element name="spinner">
              <xs:complexType>
                <xs:simpleContent>
                  <xs:extension base="xs:string"><xs:attribute name="code" use="required"/></xs:extension>
                </xs:simpleContent>
              </xs:complexType>
            </xs:element>
            <xs:element name="tex" type="xs:decimal"/>
            <xs:element name="fibre" maxOccurs="4">
              <xs:complexType>
                <xs:simpleContent>
                  <xs:extension base="xs:int"><xs:attribute name="kind" use="required"/></xs:extension>
                </xs:simpleContent>
              </xs:complexType>
            </xs:element>
          </xs:sequence>
          <xs:attribute name="id" use="required"/>
          <xs:attribute name="colour" use="required"/>
        </xs:complexType>
      </xs:schema>
      """;

  /** The counters of all other looms fill their loom's code up with blanks. */
  private static final int LOOMS_WITHOUT_BLANKS = 3;

  private static final int WEEKS = 12;

  private final long seed;
  private final WeavingMills.Expected expected;

  YardFiles(long seed, WeavingMills.Expected expected) {
    this.seed = seed;
    this.expected = expected;
  }

  void write(Path inbox) throws IOException {
    yarnLots(inbox);
    gates(inbox);
    suppliers(inbox);
    loomMoves(inbox);
    shipments(inbox);
    loomHours(inbox);
  }

  /** Hours that looms ran, a file a week, with the codes as their counters print them. */
  private void loomHours(Path inbox) throws IOException {
    for (int week = 0; week < WEEKS; week++) {
      LocalDate monday = WeavingMills.FIRST_DAY.plusDays(7L * week);
      try (Writer out =
          WeavingMills.open(inbox.resolve("loom-hours/hours-%s.txt".formatted(monday)), false)) {
        out.write("loom_code;week_of;hours\n");
        for (int l = 0; l < WeavingMills.LOOMS; l++) {
          SplittableRandom random = new SplittableRandom(seed * 37 + week * 1000L + l);
          boolean plain = l % (WeavingMills.LOOMS / LOOMS_WITHOUT_BLANKS) == 7;
          String code = WeavingMills.loomCode(l);
          out.write(
              "%s;%s;%s\n"
                  .formatted(
                      plain ? code : "%-12s".formatted(code),
                      monday,
                      BigDecimal.valueOf(300 + random.nextInt(900), 1)));
          expected.add(plain ? "hours.plain" : "hours.padded", 1);
        }
      }
    }
  }

  /** Lots of yarn as the spinners send them: one document a month. */
  private void yarnLots(Path inbox) throws IOException {
    Files.createDirectories(inbox.resolve("yarn-lots"));
    Files.writeString(inbox.resolve("yarn-lots/yarn-lots.xsd"), LOTS_XSD);
    for (int month = 1; month <= 3; month++) {
      try (Writer out =
          WeavingMills.open(inbox.resolve("yarn-lots/lots-2026-0%d.xml".formatted(month)), false)) {
        out.write(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<lots month=\"2026-0%d\">\n"
                .formatted(month));
        for (int n = 0; n < 120; n++) {
          SplittableRandom random = new SplittableRandom(seed * 77 + month * 1000L + n);
          boolean noFibre = random.nextInt(60) == 0;
          out.write(
              "  <lot id=\"Y%d%04d\" colour=\"%s\">\n    <spinner code=\"S%d\">%s</spinner>\n    <tex>%d.%d</tex>\n"
                  .formatted(
                      month,
                      n,
                      WeavingMills.HUES[random.nextInt(WeavingMills.HUES.length)].toLowerCase(
                          java.util.Locale.ROOT),
                      1 + random.nextInt(9),
                      SPINNERS[random.nextInt(SPINNERS.length)],
                      10 + random.nextInt(60),
                      random.nextInt(10)));
          int parts = noFibre ? 0 : 1 + random.nextInt(3);
          for (int p = 0; p < parts; p++) {
            out.write(
                "    <fibre kind=\"%s\">%d</fibre>\n"
                    .formatted(FIBRES[(n + p) % FIBRES.length], 100 / parts));
          }
          out.write("  </lot>\n");
          expected.add(noFibre ? "lots.broken" : "lots.good", 1);
        }
        out.write("</lots>\n");
      }
    }
  }

  /** What the gates of the mills wrote down, a line each. */
  private void gates(Path inbox) throws IOException {
    for (int day = 0; day < 7; day++) {
      LocalDate date = WeavingMills.FIRST_DAY.plusDays(day);
      try (Writer out =
          WeavingMills.open(inbox.resolve("gates/gate-%s.log".formatted(date)), false)) {
        for (int n = 0; n < 400; n++) {
          SplittableRandom random = new SplittableRandom(seed * 91 + day * 1000L + n);
          boolean garbled = random.nextInt(200) == 0;
          String line =
              "%s %02d:%02d:%02d [%s%d] %s badge=%04d%s"
                  .formatted(
                      date,
                      n * 24 / 400,
                      random.nextInt(60),
                      random.nextInt(60),
                      "NSE".charAt(random.nextInt(3)),
                      1 + random.nextInt(2),
                      random.nextBoolean() ? "in" : "out",
                      random.nextInt(300),
                      random.nextInt(9) == 0 ? " with a cart" : "");
          out.write(garbled ? line.substring(0, 14) + "??\n" : line + "\n");
          expected.add(garbled ? "gates.broken" : "gates.good", 1);
        }
      }
    }
  }

  /** Suppliers as several mills know them: one supplier stands there under several spellings. */
  private void suppliers(Path inbox) throws IOException {
    try (Writer out = WeavingMills.open(inbox.resolve("reference/suppliers.csv"), false)) {
      out.write("supplier_no;name;town;seen_on\n");
      int number = 0;
      for (int s = 0; s < SUPPLIERS; s++) {
        SplittableRandom random = new SplittableRandom(seed * 131 + s);
        String name =
            "%s %s %s"
                .formatted(
                    SUPPLIER_KINDS[s / SUPPLIER_NAMES.length],
                    SUPPLIER_NAMES[s % SUPPLIER_NAMES.length],
                    s % 2 == 0 ? "Lda" : "& Filhos");
        int spellings = 1 + random.nextInt(4);
        for (int k = 0; k < spellings; k++) {
          out.write(
              "%d;%s;%s;%s\n"
                  .formatted(
                      ++number,
                      k == 0 ? name : respelt(name, random),
                      WeavingMills.TOWNS[s / SUPPLIER_NAMES.length % WeavingMills.TOWNS.length],
                      WeavingMills.FIRST_DAY.plusDays(random.nextInt(WeavingMills.DAYS))));
        }
        expected.add("supplier-rows", spellings);
      }
      expected.add("suppliers", SUPPLIERS);
    }
  }

  private static String respelt(String name, SplittableRandom random) {
    return switch (random.nextInt(5)) {
      case 0 -> name.toUpperCase(java.util.Locale.ROOT);
      case 1 -> name.replace(" ", "  ") + " ";
      case 2 -> name.replace("ã", "a").replace("ç", "c").replace("õ", "o");
      case 3 -> name.replace("Lda", "Lda.").replace("&", "e");
      default -> {
        int at = name.length() / 2;
        yield name.substring(0, at) + name.substring(at + 1);
      }
    };
  }

  /** The hall that each loom stood in, and since when: some looms moved. */
  private void loomMoves(Path inbox) throws IOException {
    try (Writer out = WeavingMills.open(inbox.resolve("reference/loom-moves.csv"), false)) {
      out.write("loom_code,hall,since\n");
      for (int l = 0; l < WeavingMills.LOOMS; l++) {
        SplittableRandom random = new SplittableRandom(seed * 57 + l);
        int hall = l / WeavingMills.MILLS % 3;
        out.write("%s,%s,2020-01-01\n".formatted(WeavingMills.loomCode(l), HALLS[hall]));
        if (random.nextInt(4) == 0) {
          out.write(
              "%s,%s,%s\n"
                  .formatted(
                      WeavingMills.loomCode(l),
                      HALLS[(hall + 1) % 3],
                      WeavingMills.FIRST_DAY.plusDays(random.nextInt(WeavingMills.DAYS))));
          expected.add("looms-moved", 1);
        }
      }
    }
  }

  /**
   * Cloth that left by the metre, a file a month; a few orders name a pattern that is not known.
   */
  private void shipments(Path inbox) throws IOException {
    long number = 0;
    for (int month = 1; month <= 4; month++) {
      try (Writer out =
          WeavingMills.open(
              inbox.resolve("shipments/shipments-2026-%02d.csv".formatted(month)), false)) {
        out.write("shipment_no,pattern_code,mill_code,shipped_on,metres\n");
        for (int n = 0; n < 600; n++) {
          SplittableRandom random = new SplittableRandom(seed * 71 + ++number);
          boolean unknown = random.nextInt(80) == 0;
          out.write(
              "S%06d,%s,M%d,%s,%s\n"
                  .formatted(
                      number,
                      unknown
                          ? "P9" + random.nextInt(90)
                          : WeavingMills.patternCode(random.nextInt(WeavingMills.PATTERNS)),
                      1 + random.nextInt(WeavingMills.MILLS),
                      LocalDate.of(2026, month, 1 + random.nextInt(28)),
                      BigDecimal.valueOf(500 + random.nextInt(20_000), 2)));
          expected.add(unknown ? "shipments.unknown" : "shipments.known", 1);
        }
      }
    }
  }
}
