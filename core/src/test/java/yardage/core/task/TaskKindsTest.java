package yardage.core.task;

import static org.junit.jupiter.api.Assertions.assertEquals;

import com.tngtech.archunit.core.domain.JavaClass;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import yardage.core.exec.BlockStep;
import yardage.core.exec.GroupedStep;
import yardage.core.exec.PickedStep;
import yardage.core.exec.RowStep;
import yardage.core.exec.WindowStep;
import yardage.core.plan.Recursion;
import yardage.core.plan.RowDescription;
import yardage.core.plan.Stage;
import yardage.core.plan.WholeDescription;

/** Whatever a plan may hold can be written down, and says what it does. */
class TaskKindsTest {
  @Test
  void aStageIsMadeOfDataOnly() {
    assertEquals(Set.of(), TaskKinds.CODEC.cannotWrite(Stage.class));
  }

  @Test
  void noKindIsForgotten() {
    var classes =
        new ClassFileImporter()
            .withImportOption(ImportOption.Predefined.DO_NOT_INCLUDE_TESTS)
            .importPackages("yardage.core");
    for (Map.Entry<Class<?>, List<Class<?>>> e : TaskKinds.ALL.entrySet()) {
      Set<String> there =
          classes.stream()
              .filter(c -> c.isAssignableTo(e.getKey()) && !c.isInterface())
              .filter(c -> !c.isAnonymousClass())
              .map(JavaClass::getName)
              .collect(Collectors.toCollection(TreeSet::new));
      Set<String> known =
          e.getValue().stream().map(Class::getName).collect(Collectors.toCollection(TreeSet::new));
      assertEquals(there, known, e.getKey().getSimpleName());
    }
  }

  @Test
  void everyDescriptionOfAStepIsTheStep() {
    TaskKinds.ALL
        .get(RowDescription.class)
        .forEach(c -> assertEquals(true, RowStep.class.isAssignableFrom(c), c.getName()));
    TaskKinds.ALL.get(WholeDescription.class).stream()
        // The one runs plans, and no code of its own; the other is the only one of its kind.
        .filter(c -> c != Recursion.class && c != WindowStep.class)
        .forEach(
            c ->
                assertEquals(
                    1,
                    Stream.of(BlockStep.class, GroupedStep.class, PickedStep.class)
                        .filter(kind -> kind.isAssignableFrom(c))
                        .count(),
                    c.getName()));
  }
}
