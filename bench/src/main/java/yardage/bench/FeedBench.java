package yardage.bench;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.BufferedReader;
import java.io.BufferedWriter;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.zip.GZIPInputStream;
import java.util.zip.GZIPOutputStream;
import javax.xml.stream.XMLInputFactory;
import javax.xml.stream.XMLStreamReader;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FeedRelation;
import yardage.core.lake.Lake;
import yardage.core.sql.PlanSession;
import yardage.core.task.TaskEndpoints;

/**
 * Reading feeds of each kind under a full contract: hashed, cut, parsed and checked, every column,
 * and nothing written. Two files each, so that an alternative that reads a file by itself has two
 * workers as well.
 */
final class FeedBench {
  private static final int FILES = 2;
  private static final int ROWS = 1_200_000;

  private final Lake lake;
  private final Path inbox;

  FeedBench(Lake lake) {
    this.lake = lake;
    this.inbox = Path.of(lake.inbox().toString());
  }

  /** Writes rows of one kind. */
  private interface Line {
    void write(StringBuilder out, int row, SplittableRandom random);
  }

  /** What a worker of an alternative does with a file. */
  private interface Work {
    long apply(Path file) throws Exception;
  }

  private List<Path> write(String name, int rows, String head, String tail, Line line)
      throws IOException {
    List<Path> out = new ArrayList<>();
    for (int f = 0; f < FILES; f++) {
      Path file = inbox.resolve(name).resolve(name + f);
      Files.createDirectories(file.getParent());
      SplittableRandom random = new SplittableRandom(f);
      StringBuilder text = new StringBuilder();
      try (BufferedWriter w = Files.newBufferedWriter(file)) {
        w.write(head);
        for (int r = 0; r < rows / FILES; r++) {
          text.setLength(0);
          line.write(text, r, random);
          w.append(text);
        }
        w.write(tail);
      }
      out.add(file);
    }
    return out;
  }

  private static double megabytes(List<Path> files) throws IOException {
    long sum = 0;
    for (Path file : files) {
      sum += Files.size(file);
    }
    return sum / 1e6;
  }

  private double scan(String feed, long rows) throws Exception {
    FeedDefinition.Parsed parsed = FeedDefinition.parse(feed);
    FeedDefinition definition =
        parsed.feed().orElseThrow(() -> new IllegalStateException(parsed.problems().toString()));
    // A service has compiled its loops long before: eight runs warm up.
    return Measure.seconds(
        8,
        5,
        () -> {
          PlanSession session = new PlanSession();
          PlanSession.Planned planned =
              session.plan(
                  session.parseQuery("select count(*) from f", 1, 1),
                  new PlanSession.Scope(Map.of("f", new FeedRelation(definition, lake.raw()))));
          Object count =
              new Executor(
                      ExecutionContext.standalone(1L << 30),
                      TaskEndpoints.reading(lake),
                      step -> new StepTally(step, "sql"))
                  .collect(
                      session.physical().plan(session.optimize(planned.rel()), "bench"), "bench")
                  .get(0)
                  .column(0)
                  .value(0);
          if (!count.equals(rows)) {
            throw new IllegalStateException(count + " rows instead of " + rows);
          }
          return count;
        });
  }

  private static double each(List<Path> files, Work work) throws Exception {
    return Measure.seconds(
        1,
        3,
        () -> {
          ExecutorService pool = Executors.newFixedThreadPool(Main.WORKERS);
          try {
            List<Future<Long>> all = new ArrayList<>();
            for (Path file : files) {
              all.add(pool.submit((Callable<Long>) () -> work.apply(file)));
            }
            long sum = 0;
            for (Future<Long> f : all) {
              sum += f.get();
            }
            return sum;
          } finally {
            pool.shutdown();
          }
        });
  }

  private static void delimitedRow(StringBuilder out, int row, SplittableRandom random) {
    out.append('R').append(row).append("|L-").append(random.nextInt(212)).append("|P");
    out.append(random.nextInt(40)).append("|2026-0").append(1 + random.nextInt(9)).append("-1");
    out.append(random.nextInt(10)).append("|2026-03-01 10:").append(10 + random.nextInt(50));
    out.append(":00|").append(random.nextInt(20, 110)).append('.').append(10 + random.nextInt(90));
    out.append('|').append(random.nextInt(5, 40)).append('.').append(random.nextInt(1000));
    out.append('|').append(140 + 20 * random.nextInt(5)).append('|');
    out.append(random.nextLong(100_000_000L)).append('|');
    out.append(random.nextInt(4) == 0 ? "\"edge; frayed\"" : "").append('\n');
  }

  private static final String DELIMITED =
      """
      feed: f
      files: %s
      take: all
      text: {separator: "|", header: false}
      columns:
        roll: {type: varchar, required: true}
        loom: varchar
        pattern: varchar
        woven_on: date
        woven_at: timestamp
        metres: {type: "decimal(9, 2)", check: metres > 0}
        weight: double
        width: int
        picks: bigint
        note: varchar
      """;

  void delimited() throws Exception {
    List<Path> files = write("delimited", ROWS * 2, "", "", FeedBench::delimitedRow);
    double mb = megabytes(files);
    double ours = scan(DELIMITED.formatted("delimited/*"), ROWS * 2L);
    double limit = each(files, Main::countNewlines);
    double plain = each(files, FeedBench::readLines);
    Measure.print(
        "delimited text under a full contract, with a check",
        "MB/s",
        mb / ours,
        "finding line ends in the same bytes, 8 at a time",
        mb / limit,
        "readLine and split alone, as plain Java does",
        mb / plain);
    List<Path> zipped = new ArrayList<>();
    for (Path file : files) {
      Path target = inbox.resolve("zipped").resolve(file.getFileName());
      Files.createDirectories(target.getParent());
      try (OutputStream out = new GZIPOutputStream(Files.newOutputStream(target), 1 << 16)) {
        Files.copy(file, out);
      }
      zipped.add(target);
    }
    double gzip = scan(DELIMITED.formatted("zipped/*"), ROWS * 2L);
    double inflate = each(zipped, FeedBench::inflate);
    Measure.print(
        "the same, gzip (bytes as inflated)",
        "MB/s",
        mb / gzip,
        "inflating alone",
        mb / inflate,
        "inflating, readLine and split",
        mb / each(zipped, FeedBench::inflateAndSplit));
  }

  private static long readLines(Path file) throws IOException {
    long n = 0;
    try (BufferedReader in = Files.newBufferedReader(file)) {
      for (String line = in.readLine(); line != null; line = in.readLine()) {
        n += line.split("\\|", -1).length;
      }
    }
    return n;
  }

  private static long inflate(Path file) throws IOException {
    try (InputStream in = new GZIPInputStream(Files.newInputStream(file), 1 << 16)) {
      return in.transferTo(OutputStream.nullOutputStream());
    }
  }

  private static long inflateAndSplit(Path file) throws IOException {
    long n = 0;
    try (BufferedReader in =
        new BufferedReader(
            new java.io.InputStreamReader(
                new GZIPInputStream(Files.newInputStream(file), 1 << 16),
                StandardCharsets.UTF_8))) {
      for (String line = in.readLine(); line != null; line = in.readLine()) {
        n += line.split("\\|", -1).length;
      }
    }
    return n;
  }

  void json() throws Exception {
    List<Path> files =
        write(
            "json",
            ROWS,
            "",
            "",
            (out, row, random) ->
                out.append("{\"inspection_id\":\"I")
                    .append(row)
                    .append("\",\"roll\":\"R")
                    .append(random.nextInt(1_000_000))
                    .append(
                        "\",\"at\":\"2026-03-01T10:00:00\",\"inspector\":{\"name\":\"Inspector ")
                    .append(random.nextInt(9))
                    .append("\",\"shift\":")
                    .append(random.nextInt(3))
                    .append("},\"grade\":\"B\",\"defects\":[{\"kind\":\"slub\",\"at_m\":")
                    .append(random.nextInt(100))
                    .append(".5},{\"kind\":\"stain\",\"at_m\":7.25}],\"remark\":\"see photo ")
                    .append(row)
                    .append("\"}\n"));
    double mb = megabytes(files);
    double ours =
        scan(
            """
            feed: f
            files: json/*
            take: all
            json: {records: lines}
            columns:
              inspection_id: {type: varchar, required: true}
              roll: varchar
              at: timestamp
              inspector: struct(name varchar, shift int)
              grade: varchar
              defects: list(struct(kind varchar, at_m decimal(6, 2)))
              remark: varchar
            """,
            ROWS);
    ObjectMapper mapper = new ObjectMapper();
    Measure.print(
        "JSON lines into nested columns",
        "MB/s",
        mb / ours,
        "finding line ends in the same bytes, 8 at a time",
        mb / each(files, Main::countNewlines),
        "a tree for each line, as a general library makes it",
        mb
            / each(
                files,
                file -> {
                  long n = 0;
                  try (BufferedReader in = Files.newBufferedReader(file)) {
                    for (String line = in.readLine(); line != null; line = in.readLine()) {
                      JsonNode node = mapper.readTree(line);
                      n += node.size();
                    }
                  }
                  return n;
                }));
  }

  void lines() throws Exception {
    List<Path> files =
        write(
            "gates",
            ROWS * 2,
            "",
            "",
            (out, row, random) ->
                out.append("2026-03-01 10:")
                    .append(10 + random.nextInt(50))
                    .append(":00 [N")
                    .append(random.nextInt(9))
                    .append("] in badge=")
                    .append(1000 + random.nextInt(9000))
                    .append(random.nextInt(3) == 0 ? " with a cart" : "")
                    .append('\n'));
    double mb = megabytes(files);
    String pattern =
        "(?<at>\\d{4}-\\d\\d-\\d\\d \\d\\d:\\d\\d:\\d\\d) \\[(?<gate>[A-Z]\\d)\\] (?<way>in|out) badge=(?<badge>\\d+)(?: (?<note>.*))?";
    double ours =
        scan(
            "feed: f\nfiles: gates/*\ntake: all\nlines: {pattern: '"
                + pattern
                + "'}\ncolumns: {at: timestamp, gate: varchar, way: varchar, badge: int, note: varchar}\n",
            ROWS * 2L);
    Pattern platform = Pattern.compile(pattern);
    Measure.print(
        "lines matched by a pattern",
        "MB/s",
        mb / ours,
        "finding line ends in the same bytes, 8 at a time",
        mb / each(files, Main::countNewlines),
        "the platform's matcher alone, groups as texts",
        mb
            / each(
                files,
                file -> {
                  long n = 0;
                  try (BufferedReader in = Files.newBufferedReader(file)) {
                    for (String line = in.readLine(); line != null; line = in.readLine()) {
                      Matcher m = platform.matcher(line);
                      n += m.matches() ? m.group("gate").length() + m.group("badge").length() : 0;
                    }
                  }
                  return n;
                }));
  }

  void xml() throws Exception {
    List<Path> files =
        write(
            "lots",
            ROWS / 2,
            "<lots>\n",
            "</lots>\n",
            (out, row, random) ->
                out.append("<lot id=\"Y")
                    .append(row)
                    .append("\" colour=\"indigo\"><spinner code=\"S")
                    .append(random.nextInt(9))
                    .append("\">Fiação da Serra</spinner><tex>")
                    .append(random.nextInt(10, 70))
                    .append(
                        ".5</tex><fibre kind=\"cotton\">50</fibre><fibre kind=\"linen\">50</fibre></lot>\n"));
    Files.writeString(
        inbox.resolve("lots.xsd"),
        """
        <xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">
          <xs:element name="lots"><xs:complexType><xs:sequence>
            <xs:element name="lot" maxOccurs="unbounded"><xs:complexType><xs:sequence>
              <xs:element name="spinner"><xs:complexType><xs:simpleContent><xs:extension base="xs:string"><xs:attribute name="code"/></xs:extension></xs:simpleContent></xs:complexType></xs:element>
              <xs:element name="tex" type="xs:decimal"/>
              <xs:element name="fibre" maxOccurs="4"><xs:complexType><xs:simpleContent><xs:extension base="xs:int"><xs:attribute name="kind"/></xs:extension></xs:simpleContent></xs:complexType></xs:element>
            </xs:sequence><xs:attribute name="id" use="required"/><xs:attribute name="colour"/></xs:complexType></xs:element>
          </xs:sequence></xs:complexType></xs:element>
        </xs:schema>
        """);
    double mb = megabytes(files);
    String feed =
        """
        feed: f
        files: lots/*
        take: all
        xml: {row: lot%s}
        columns:
          id: {type: varchar, from: "@id"}
          colour: {type: varchar, from: "@colour"}
          spinner: varchar
          code: {type: varchar, from: spinner/@code}
          tex: decimal(6, 2)
          fibres: {type: "list(struct(kind varchar, \\".\\" int))", from: fibre}
        """;
    double stax =
        mb
            / each(
                files,
                file -> {
                  long n = 0;
                  try (InputStream in = Files.newInputStream(file)) {
                    XMLStreamReader r =
                        XMLInputFactory.newDefaultFactory().createXMLStreamReader(in);
                    while (r.hasNext()) {
                      n += r.next() == XMLStreamReader.CHARACTERS ? r.getTextLength() : 1;
                    }
                  }
                  return n;
                });
    double limit = mb / each(files, Main::countNewlines);
    Measure.print(
        "XML rows into nested columns",
        "MB/s",
        mb / scan(feed.formatted(""), ROWS / 2),
        "finding line ends in the same bytes, 8 at a time",
        limit,
        "the platform's streaming parser alone",
        stax);
    Measure.print(
        "the same, each row held against an XSD",
        "MB/s",
        mb / scan(feed.formatted(", xsd: lots.xsd"), ROWS / 2),
        "finding line ends in the same bytes, 8 at a time",
        limit,
        "the platform's streaming parser alone, without a schema",
        stax);
  }

  /** The same rows in very many files and in few. */
  void smallFiles() throws Exception {
    smallFiles(10);
    smallFiles(100);
  }

  private void smallFiles(int rowsInEach) throws Exception {
    SplittableRandom random = new SplittableRandom(5);
    StringBuilder text = new StringBuilder();
    int many = 100_000;
    String manyFolder = "many" + rowsInEach;
    String fewFolder = "few" + rowsInEach;
    Files.createDirectories(inbox.resolve(fewFolder));
    long bytes = 0;
    for (int group = 0; group < 100; group++) {
      Path folder = Files.createDirectories(inbox.resolve(manyFolder + "/" + group));
      try (BufferedWriter few = Files.newBufferedWriter(inbox.resolve(fewFolder + "/" + group))) {
        for (int f = 0; f < many / 100; f++) {
          text.setLength(0);
          for (int r = 0; r < rowsInEach; r++) {
            delimitedRow(text, r, random);
          }
          bytes += text.length();
          Files.writeString(folder.resolve(Integer.toString(group * 1000 + f)), text);
          few.append(text);
        }
      }
    }
    long rows = (long) many * rowsInEach;
    double small = scan(DELIMITED.formatted(manyFolder + "/**"), rows);
    double large = scan(DELIMITED.formatted(fewFolder + "/*"), rows);
    double alone = each(folders(inbox.resolve(manyFolder)), FeedBench::readAll);
    System.out.printf(
        "100,000 files of %d rows, %.1f kB each: %.2f s; the same rows in 100 files: %.2f s; %.1f times (2 wanted)%n"
            + "listing, opening and reading the 100,000 alone: %.2f s%n%n",
        rowsInEach, bytes / 1e3 / many, small, large, small / large, alone);
  }

  private static List<Path> folders(Path folder) throws IOException {
    try (java.util.stream.Stream<Path> in = Files.list(folder)) {
      return in.toList();
    }
  }

  private static long readAll(Path folder) throws IOException {
    long bytes = 0;
    try (java.nio.file.DirectoryStream<Path> files = Files.newDirectoryStream(folder)) {
      for (Path file : files) {
        bytes += Files.readAllBytes(file).length;
      }
    }
    return bytes;
  }
}
