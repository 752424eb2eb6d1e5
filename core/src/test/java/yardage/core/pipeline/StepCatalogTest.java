package yardage.core.pipeline;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import yardage.core.document.Problem;
import yardage.core.pipeline.describe.StepCatalog;
import yardage.core.pipeline.describe.StepDescription;
import yardage.core.pipeline.describe.StepDescription.Field;
import yardage.core.pipeline.describe.StepReference;
import yardage.core.pipeline.read.PipelineDocument;

/** The descriptions of steps, the reader of documents and the reference page say the same. */
class StepCatalogTest {
  private static final String START = "a test holds this against them -->\n";
  private static final String END = "\n<!-- end of steps -->";

  static Stream<StepDescription> steps() {
    return StepCatalog.all().stream();
  }

  private static List<String> problems(String verb, String text) {
    return PipelineDocument.parse(
            "pipeline: p\nsteps:\n  s:\n    from: [a, b]\n    %s: %s\n".formatted(verb, text))
        .problems()
        .stream()
        .filter(p -> !p.code().equals("surplus-input"))
        .map(Problem::message)
        .toList();
  }

  @ParameterizedTest
  @MethodSource("steps")
  void examplesAreRead(StepDescription step) {
    assertTrue(!step.examples().isEmpty() && !step.about().isEmpty());
    step.examples()
        .forEach(e -> assertEquals(List.of(), problems(step.verb(), e), step.verb() + ": " + e));
  }

  @ParameterizedTest
  @MethodSource("steps")
  void theReaderKnowsEveryFieldAndNoOther(StepDescription step) {
    if (step.value().isPresent()) {
      return;
    }
    // A field that nobody knows makes the reader say which ones it does.
    for (List<Field> fields : nested(step.fields())) {
      for (Field f : fields) {
        List<String> said = problems(step.verb(), within(step, fields, f.name() + ": null"));
        assertTrue(
            said.stream().noneMatch(m -> m.contains("There is no [" + f.name() + "] here")),
            f.name() + ": " + said);
      }
      List<String> known =
          problems(step.verb(), within(step, fields, "zzzzzzzzzzzzzzz: null")).stream()
              .filter(m -> m.startsWith("There is no [zzz"))
              .map(m -> m.substring(m.indexOf("there are ") + 10))
              .toList();
      assertEquals(1, known.size(), step.verb());
      List<String> described = new ArrayList<>(fields.stream().map(Field::name).toList());
      for (String name : known.get(0).split(", ")) {
        assertTrue(described.contains(name), step.verb() + " reads [" + name + "] undescribed");
      }
    }
  }

  /** Each set of fields, with the sets inside it. */
  private static List<List<Field>> nested(List<Field> fields) {
    List<List<Field>> out = new ArrayList<>();
    boolean named = fields.size() == 1 && fields.get(0).name().isEmpty();
    List<Field> here = named ? fields.get(0).fields() : fields;
    out.add(here);
    here.stream().filter(f -> !f.fields().isEmpty()).forEach(f -> out.addAll(nested(f.fields())));
    return out;
  }

  private static String within(StepDescription step, List<Field> fields, String field) {
    boolean named = step.fields().size() == 1 && step.fields().get(0).name().isEmpty();
    String inner = "{" + field + "}";
    for (Field holder : named ? step.fields().get(0).fields() : step.fields()) {
      if (holder.fields() == fields) {
        boolean byName = holder.kind() == StepDescription.Kind.NAMED_FIELDS;
        inner = "{" + holder.name() + ": " + (byName ? "{x: " + inner + "}" : inner) + "}";
      }
    }
    return named ? "{rule: " + inner + "}" : inner;
  }

  @Test
  void theReferencePageIsWrittenFromTheDescriptions() throws IOException {
    Path page = Path.of("../docs/reference.md");
    String text = Files.readString(page);
    int from = text.indexOf(START) + START.length();
    int to = text.indexOf(END);
    String written = StepReference.markdown();
    if (Boolean.getBoolean("yardage.write-reference")) {
      Files.writeString(page, text.substring(0, from) + written + text.substring(to));
      return;
    }

    assertEquals(
        written,
        text.substring(from, to),
        "run this test with -Dyardage.write-reference=true to write the page again");
  }
}
