package yardage.service;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;
import static org.junit.jupiter.api.Assertions.assertEquals;

import com.tngtech.archunit.core.domain.JavaClass;
import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.domain.JavaModifier;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;

/** Features use each other in one direction. */
class ServiceArchitectureTest {
  private static final JavaClasses CLASSES =
      new ClassFileImporter()
          .withImportOption(ImportOption.Predefined.DO_NOT_INCLUDE_TESTS)
          .importPackages("yardage.service");

  @Test
  void noFeatureNeedsItselfByWayOfOthers() {
    slices().matching("yardage.service.(*)..").should().beFreeOfCycles().check(CLASSES);
  }

  /**
   * Files of the lake are reached by address. Settings, locks, first passwords, and files that are
   * not objects yet (uploads under way, stories told once) are this machine's own.
   */
  @Test
  void onlyWhatIsOfThisMachineKnowsPaths() {
    noClasses()
        .that()
        .haveNameNotMatching(
            "yardage\\.service\\.(YardageProperties|PrivateFiles|lake\\.HomePlace|memory\\.EngineMemory|uploads\\.UploadService|follow\\.FollowService)(\\$.*)?")
        .should()
        .dependOnClassesThat()
        .haveNameMatching(
            "java\\.nio\\.file\\.(Paths|Files|FileSystems?)|java\\.io\\.(File|RandomAccessFile|File(In|Out)putStream)|java\\.nio\\.channels\\.FileChannel")
        .check(CLASSES);
  }

  /** The interface's description knows records by their simple names alone. */
  @Test
  void noTwoRecordsAreCalledAlike() {
    Map<String, List<String>> byName =
        CLASSES.stream()
            .filter(JavaClass::isRecord)
            .filter(c -> !c.getModifiers().contains(JavaModifier.PRIVATE))
            .filter(c -> !c.getName().contains("Mapper$"))
            .collect(
                Collectors.groupingBy(
                    JavaClass::getSimpleName,
                    Collectors.mapping(JavaClass::getName, Collectors.toList())));

    assertEquals(List.of(), byName.values().stream().filter(names -> names.size() > 1).toList());
  }
}
