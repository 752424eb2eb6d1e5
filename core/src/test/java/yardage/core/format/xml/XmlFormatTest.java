package yardage.core.format.xml;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.zip.GZIPInputStream;
import javax.xml.parsers.DocumentBuilderFactory;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.w3c.dom.Element;
import yardage.core.column.Type;
import yardage.core.format.FileFormatException;
import yardage.core.format.record.FieldRule;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.RecordCollector;

class XmlFormatTest {
  private static final String LOTS =
      """
      <?xml version="1.0" encoding="UTF-8"?>
      <!DOCTYPE lots SYSTEM "lots.dtd">
      <!-- <lot id="no"/> -->
      <lots xmlns="urn:mill:lots" xmlns:q="urn:mill:quality" mill="Orfa">
        <header><made>2026-03-01</made></header>
        <lot id="Y1" colour="écru">
          <colour>raw &amp; un<![CDATA[<dyed>]]></colour>
          <spinner code="S7"><name> Fiação Serra </name></spinner>
          <q:test n="1"><q:tex>20.5</q:tex></q:test>
          <q:test n="2"><q:tex>21</q:tex></q:test>
        </lot>
        <lot id="Y2"><colour/><q:test n="3"/></lot>
      </lots>
      """;

  private static XmlFormat format(XmlLayout layout, boolean keepStrays, String... columns) {
    List<FieldRule> rules = new ArrayList<>();
    List<String> paths = new ArrayList<>();
    for (String column : columns) {
      String[] parts = column.split(" ", 2);
      rules.add(
          new FieldRule(
              "c" + rules.size(), Type.parse(parts[1]), false, List.of(), Optional.empty()));
      paths.add(parts[0]);
    }
    return new XmlFormat(layout, rules, paths, keepStrays);
  }

  private static RecordCollector read(XmlFormat format, byte[] text, int chunk) {
    return new RecordCollector().read(format, "lots.xml", new ByteArrayInputStream(text), chunk);
  }

  private static RecordCollector read(String row, String text, String... columns) {
    return read(
        format(new XmlLayout(row), false, columns), text.getBytes(StandardCharsets.UTF_8), 1 << 20);
  }

  @Test
  void readsElementsAttributesNamespacesAndNestedParts() {
    for (int chunk : new int[] {1, 1 << 20}) {
      RecordCollector found =
          read(
              format(
                  new XmlLayout("lot", Map.of("q", "urn:mill:quality"), Optional.empty(), 1 << 20),
                  false,
                  "@id varchar",
                  "@colour varchar",
                  "colour varchar",
                  "spinner/@code varchar",
                  "spinner/name varchar",
                  "q:test list(struct(\"@n\" int, tex decimal(5,1)))",
                  "../@mill varchar"),
              LOTS.getBytes(StandardCharsets.UTF_8),
              chunk);

      assertEquals(List.of(), found.rejects);
      assertEquals(
          "[[Y1, écru, raw & un<dyed>, S7,  Fiação Serra , [{@n=1, tex=20.5}, {@n=2, tex=21.0}], Orfa],"
              + " [Y2, null, , null, null, [{@n=3, tex=null}], Orfa]]",
          found.rows.toString());
    }
  }

  @Test
  void rowsThatDifferInTheirPartsAndTheirOrderAreReadAlike() {
    String lots =
        """
        <lots>
        <lot id="1"><inspection_no>a</inspection_no><inspection_nos>b</inspection_nos><tex>1</tex></lot>
        <lot><tex>2</tex><inspection_nos>d]]</inspection_nos><inspection_no>c</inspection_no></lot>
        <lots_of id="0"/><lotte id="0"/><lo id="0"/>
        <lot id="3" inspection_number="n" note='"&lt;&#x41;é'><tex> 3 </tex><tex.x/><inspection_nosy/></lot>
        <lot id="4"><inspection_no>Fiação ]&gt; é\ud83e\uddf5</inspection_no></lot>
        </lots>
        """;
    for (int chunk : new int[] {1, 1 << 20}) {
      RecordCollector found =
          read(
              format(
                  new XmlLayout("lot"),
                  false,
                  "@id int",
                  "inspection_no varchar",
                  "inspection_nos varchar",
                  "tex int",
                  "@note varchar"),
              lots.getBytes(StandardCharsets.UTF_8),
              chunk);

      assertEquals(List.of(), found.rejects);
      assertEquals(
          "[[1, a, b, 1, null], [null, c, d]], 2, null], [3, null, null, 3, \"<Aé],"
              + " [4, Fiação ]> é🧵, null, null, null]]",
          found.rows.toString());
      assertEquals(
          Map.of("@inspection_number", 1L, "tex.x", 1L, "inspection_nosy", 1L), found.strays);
    }
  }

  @Test
  void theSameFileIsReadWithAnotherRow() {
    RecordCollector found =
        read("test", LOTS, "@n int", "tex double", "../@id varchar", "../../@mill varchar");

    assertEquals(
        "[[1, 20.5, Y1, Orfa], [2, 21.0, Y1, Orfa], [3, null, Y2, Orfa]]", found.rows.toString());
  }

  @Test
  void namesInOtherNamespacesAreOthers() {
    XmlLayout other = new XmlLayout("lot", Map.of("", "urn:other"), Optional.empty(), 1 << 20);

    assertTrue(
        read(format(other, false, "@id varchar"), LOTS.getBytes(StandardCharsets.UTF_8), 1 << 20)
            .rows
            .isEmpty());
    assertThrows(
        IllegalArgumentException.class,
        () -> format(new XmlLayout("lot"), false, "x:a varchar").parser(null));
  }

  @Test
  void partsThatNoColumnTakesAreToldAndKept() {
    RecordCollector found =
        read(
            format(new XmlLayout("lot"), true, "@id varchar"),
            LOTS.getBytes(StandardCharsets.UTF_8),
            1 << 20);

    assertEquals("{@colour=1, colour=2, spinner=1, test=3}", found.strays.toString());
    assertTrue(
        found.rows.get(0).get(1).toString().contains("\"colour\":\"raw & un<dyed>\""),
        found.rows.toString());
  }

  @Test
  void setsAsideOneBrokenRowAndGoesOnWithTheNext() {
    String text =
        """
        <lots>
        <lot><id>1</id></lot>
        <lot><id>2</lot>
        <lot><id>3</id><id>4</id></lot>
        <lot><id>x</id></lot>
        <lot a="1" a="2"><id>5</id></lot>
        <lot><id>&nbsp;6</id></lot>
        <lot><id>7</id></lot>
        <lot><id>8</id>
        """;

    RecordCollector found = read("lot", text, "id int");

    assertEquals("[[1], [7]]", found.rows.toString());
    assertEquals(
        List.of(
            "3 not-xml", "4 repeated-field", "5 wrong-type", "6 not-xml", "7 not-xml", "9 not-xml"),
        found.reasons());
    assertEquals("<lot><id>2</lot>", found.rejects.get(0).original());
    assertEquals(text.indexOf("<lot><id>2"), found.rejects.get(0).byteOffset());
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "<!DOCTYPE a [<!ENTITY x SYSTEM 'file:///etc/passwd'>]><a><r>&x;</r></a>",
        "<!DOCTYPE a [<!ENTITY x 'aaaaaaaaaa'><!ENTITY y '&x;&x;&x;&x;'>]><a><r>&y;</r></a>",
      })
  void entitiesAreRefused(String text) {
    FileFormatException e =
        assertThrows(FileFormatException.class, () -> read("r", text, ". varchar"));

    assertTrue(e.getMessage().contains("declares entities"), e.getMessage());
  }

  @Test
  void depthAndLongRowsAreRefusedInBoundedMemory() {
    String deep = "<a><r>" + "<x>".repeat(100_000) + "</x>".repeat(100_000) + "</r><r>ok</r></a>";
    assertEquals("[[ok]]", read("r", deep, ". varchar").rows.toString());
    XmlLayout small = new XmlLayout("r", Map.of(), Optional.empty(), 1 << 18);
    byte[] endless = ("<a><r>" + "x".repeat(1 << 20)).getBytes(StandardCharsets.UTF_8);

    RecordCollector found = read(format(small, false, ". varchar"), endless, 1 << 20);

    assertTrue(
        found.rejects.get(0).failures().get(0).message().contains("more than 262,144 bytes"),
        found.rejects.get(0).failures().toString());
  }

  @ParameterizedTest
  @ValueSource(strings = {"ISO-8859-1", "windows-1252", "UTF-16LE", "UTF-16BE", "UTF-8"})
  void readsTheEncodingThatTheDocumentNames(String encoding) {
    String text = "<?xml version='1.0' encoding='%s'?><a><r>Vilsanã</r></a>".formatted(encoding);

    RecordCollector found =
        read(
            format(new XmlLayout("r"), false, ". varchar"),
            text.getBytes(Charset.forName(encoding)),
            1 << 20);

    assertEquals("[[Vilsanã]]", found.rows.toString());
  }

  @Test
  void rowsAreHeldAgainstASchema(@TempDir Path folder) throws IOException {
    Files.writeString(
        folder.resolve("types.xsd"),
        """
        <xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">
          <xs:simpleType name="tex"><xs:restriction base="xs:decimal"><xs:maxInclusive value="100"/></xs:restriction></xs:simpleType>
        </xs:schema>
        """);
    Files.writeString(
        folder.resolve("lots.xsd"),
        """
        <xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">
          <xs:include schemaLocation="types.xsd"/>
          <xs:element name="lots"><xs:complexType><xs:sequence>
            <xs:element name="header" type="xs:string"/>
            <xs:element name="lot" maxOccurs="unbounded"><xs:complexType>
              <xs:sequence><xs:element name="tex" type="tex"/><xs:element name="note" minOccurs="0"/></xs:sequence>
              <xs:attribute name="id" use="required"/>
            </xs:complexType></xs:element>
          </xs:sequence></xs:complexType></xs:element>
        </xs:schema>
        """);
    XsdSchema xsd = XsdSchema.read("lots.xsd", LocalStorage.place(folder.resolve("lots.xsd")));
    String text =
        "<lots><header>h</header>\n<lot id='1'><tex>20</tex></lot>\n<lot><tex>20</tex></lot>\n<lot id='3'><tex>200</tex></lot>\n<lot id='4'><note/></lot>\n<lot id='5'><tex>5</tex></lot></lots>";

    for (int chunk : new int[] {1, 1 << 20}) {
      RecordCollector found =
          read(
              format(new XmlLayout("lot", Map.of(), Optional.of(xsd), 1 << 20), false, "@id int"),
              text.getBytes(StandardCharsets.UTF_8),
              chunk);

      assertEquals("[[1], [5]]", found.rows.toString(), found.rejects.toString());
      assertEquals(
          List.of("3 not-as-schema", "4 not-as-schema", "5 not-as-schema"), found.reasons());
      assertTrue(
          found.rejects.get(0).failures().get(0).message().contains("'id' must appear"),
          found.rejects.toString());
      assertEquals("tex", found.rejects.get(1).failures().get(0).field());
    }
    Files.writeString(
        folder.resolve("out.xsd"),
        "<xs:schema xmlns:xs='http://www.w3.org/2001/XMLSchema'><xs:include schemaLocation='../x.xsd'/></xs:schema>");
    assertTrue(
        assertThrows(
                FileFormatException.class,
                () -> XsdSchema.read("out.xsd", LocalStorage.place(folder.resolve("out.xsd"))))
            .getMessage()
            .contains("only files of its own folder"));
  }

  /**
   * Published documents; those whose fault lies in a document type, which is not read, are left
   * out.
   */
  @Test
  void agreesWithThePublishedSuite() throws Exception {
    JsonNode suite;
    try (var in =
        new GZIPInputStream(getClass().getResourceAsStream("/suites/xml/documents.json.gz"))) {
      suite = new ObjectMapper().readTree(in);
    }
    Pattern whole = Pattern.compile("(?s)<([A-Za-z_][\\w.-]*)(?=[\\s/>]).*>\\s*");
    List<String> wrong = new ArrayList<>();
    int accepted = 0;
    int refused = 0;
    for (JsonNode test : suite) {
      byte[] bytes = Base64.getDecoder().decode(test.get("input").asText());
      String text = new String(bytes, StandardCharsets.UTF_8);
      String name = test.get("name").asText();
      Matcher root = whole.matcher(text);
      if (!root.matches()
          || text.indexOf('\uFFFD') >= 0
          || text.contains("<!DOCTYPE")
          || !text.strip().matches("(?s).*(</" + root.group(1) + "\\s*>|/>)")
          || text.matches("(?s).*<\\S*:.*")) {
        continue;
      }
      List<List<Object>> rows;
      boolean sound;
      try {
        RecordCollector found =
            read(format(new XmlLayout(root.group(1)), false, ". varchar"), bytes, 1 << 20);
        rows = found.rows;
        sound = found.rejects.isEmpty() && rows.size() == 1;
      } catch (FileFormatException e) {
        rows = List.of();
        sound = false;
      }
      if (name.startsWith("y") != sound) {
        wrong.add(name);
      } else if (sound) {
        Element dom =
            DocumentBuilderFactory.newInstance()
                .newDocumentBuilder()
                .parse(new ByteArrayInputStream(bytes))
                .getDocumentElement();
        assertEquals(dom.getTextContent(), rows.get(0).get(0), name);
        accepted++;
      } else {
        refused++;
      }
    }

    assertEquals(List.of(), wrong);
    assertTrue(accepted > 15 && refused > 20, accepted + " accepted, " + refused + " refused");
  }

  /** The platform's tree of the same random documents. */
  @Test
  void agreesWithAnotherParserOnRandomDocuments() throws Exception {
    long seed = Long.getLong("yardage.seed", 12);
    SplittableRandom random = new SplittableRandom(seed);
    String[] pieces = {
      "<a>",
      "</a>",
      "<b x='1'>",
      "</b>",
      "<b/>",
      "text",
      "&lt;",
      "&#233;",
      "é",
      "<!-- <lot> -->",
      "<![CDATA[<x>]]>",
      "\n",
      "<?p ?>",
      "<c/>",
      "&amp;",
      "]",
      "]]>",
      "x > y",
      "\r\n",
      "&#x1F9F5;",
      "&none;",
      "<d y=\"&amp;'\" z='é]'/>",
      "<d y='1' y='2'/>",
      "<d y=\"</lot>\"/>",
      "<a\n>",
      "</a >",
      "\u0001",
      "<p:q xmlns:p='u'/>"
    };
    for (int round = 0; round < 2000; round++) {
      StringBuilder text = new StringBuilder("<lots>");
      List<String> rows = new ArrayList<>();
      for (int i = random.nextInt(1, 5); i > 0; i--) {
        StringBuilder row = new StringBuilder("<lot>");
        for (int k = random.nextInt(7); k > 0; k--) {
          row.append(pieces[random.nextInt(pieces.length)]);
        }
        rows.add(row.append("</lot>").toString());
        text.append(row).append('\n');
      }
      byte[] bytes = text.append("</lots>").toString().getBytes(StandardCharsets.UTF_8);
      List<List<Object>> expected = new ArrayList<>();
      for (String row : rows) {
        try {
          var builder = DocumentBuilderFactory.newInstance().newDocumentBuilder();
          builder.setErrorHandler(null);
          Element dom =
              builder
                  .parse(new ByteArrayInputStream(row.getBytes(StandardCharsets.UTF_8)))
                  .getDocumentElement();
          expected.add(
              Arrays.asList(
                  dom.getTextContent(), (long) dom.getElementsByTagName("b").getLength()));
        } catch (org.xml.sax.SAXException e) {
          // Not well-formed: set aside.
        }
      }

      RecordCollector found =
          read(format(new XmlLayout("lot"), false, ". varchar"), bytes, 1 + random.nextInt(100));

      assertEquals(
          expected.stream().map(r -> r.get(0)).toList(),
          found.rows.stream().map(r -> r.get(0)).toList(),
          "seed " + seed + ", round " + round + ": " + text);
      assertEquals(rows.size(), found.rows.size() + found.rejects.size());
    }
  }

  /**
   * Rows that are recognized and rows that go to the validator get the same answer: a comment in a
   * row makes it go the long way, and says nothing.
   */
  @Test
  void recognizedRowsAreThoseThatTheSchemaAllows(@TempDir Path folder) throws IOException {
    String schema =
        """
        <xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">
          <xs:simpleType name="share"><xs:restriction base="xs:int"><xs:maxInclusive value="100"/></xs:restriction></xs:simpleType>
          <xs:element name="lots"><xs:complexType><xs:sequence>
            <xs:element name="lot" maxOccurs="unbounded"><xs:complexType><xs:sequence>
              <xs:element name="tex" type="xs:decimal"/>
              <xs:element name="spun" type="xs:date" minOccurs="0"/>
              <xs:element name="fibre" minOccurs="0" maxOccurs="3"><xs:complexType><xs:simpleContent>
                <xs:extension base="share"><xs:attribute name="kind"/></xs:extension>
              </xs:simpleContent></xs:complexType></xs:element>
              <xs:element name="cones" minOccurs="0"><xs:complexType><xs:simpleContent>
                <xs:extension base="xs:int"><xs:attribute name="n" type="xs:short"/></xs:extension>
              </xs:simpleContent></xs:complexType></xs:element>
              <xs:element name="empty" minOccurs="0"><xs:complexType/></xs:element>
              %s
            </xs:sequence><xs:attribute name="id" use="required"/><xs:attribute name="grade" type="share"/></xs:complexType></xs:element>
          </xs:sequence></xs:complexType></xs:element>
        </xs:schema>
        """;
    Files.writeString(folder.resolve("lots.xsd"), schema.formatted(""));
    Files.writeString(
        folder.resolve("fixed.xsd"),
        schema.formatted("<xs:element name='unit' type='xs:string' fixed='tex' minOccurs='0'/>"));
    SplittableRandom random = new SplittableRandom(7);
    String[] numbers = {"20", " 20.5 ", "-3", "100", "101", "2147483648", "", "n/a", "+7", "40000"};
    for (String file : List.of("lots.xsd", "fixed.xsd")) {
      StringBuilder plain = new StringBuilder("<lots>");
      StringBuilder longWay = new StringBuilder("<lots>");
      for (int i = 0; i < 4000; i++) {
        String number = numbers[random.nextInt(random.nextInt(3) == 0 ? numbers.length : 2)];
        String other = numbers[random.nextInt(random.nextInt(6) == 0 ? numbers.length : 1)];
        String row =
            (random.nextInt(9) == 0 ? "" : " id='" + i + "'")
                + (random.nextInt(3) == 0 ? " grade='%s'".formatted(other) : "")
                + ">"
                + (random.nextInt(20) == 0 ? "x" : "\n ")
                + "<tex>%s</tex>".formatted(number)
                + switch (random.nextInt(7)) {
                  case 0 -> "<spun>2026-02-%02d</spun>".formatted(random.nextInt(26, 31));
                  case 1 -> "<fibre kind='k'>%s</fibre>".formatted(other);
                  case 2 -> "<fibre>%s</fibre>".formatted(other).repeat(random.nextInt(5));
                  case 3 -> "<cones n='%s'>%s</cones>".formatted(other, number);
                  case 4 -> "<empty>%s</empty>".formatted(" ".repeat(random.nextInt(2)));
                  case 5 -> "<unit>%s</unit>".formatted(random.nextBoolean() ? "tex" : "den");
                  default -> "";
                }
                + "</lot>";
        plain.append("<lot").append(row);
        longWay.append("<lot").append(row.replaceFirst("</lot>", "<!-- --></lot>"));
      }
      XsdSchema xsd = XsdSchema.read(file, LocalStorage.place(folder.resolve(file)));
      assertEquals(file.equals("lots.xsd"), xsd.isLocal());
      XmlFormat format =
          format(
              new XmlLayout("lot", Map.of(), Optional.of(xsd), 1 << 20),
              false,
              "@id varchar",
              "tex varchar",
              "fibre list(varchar)");

      RecordCollector found =
          read(format, (plain + "</lots>").getBytes(StandardCharsets.UTF_8), 1 << 16);
      RecordCollector expected =
          read(format, (longWay + "</lots>").getBytes(StandardCharsets.UTF_8), 1 << 16);

      for (int i = 0; i < expected.rows.size(); i++) {
        assertEquals(expected.rows.get(i), found.rows.get(i), "row " + i);
      }
      assertEquals(expected.rows.size(), found.rows.size());
      assertEquals(
          expected.rejects.stream().map(r -> r.failures()).toList(),
          found.rejects.stream().map(r -> r.failures()).toList());
      assertTrue(found.rows.size() > 1000 && found.rejects.size() > 500);
    }
  }
}
