package yardage.core;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.Architectures.layeredArchitecture;

import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;

/** Dependencies point one way. */
class ArchitectureTest {
  /** From the bottom to the top; a package may use those before it. */
  private static final List<String> LAYERS =
      List.of(
          "storage",
          "column",
          "expr",
          "plan",
          "exec",
          "format",
          "lake",
          "document",
          "schedule",
          "step",
          "sql",
          "star",
          "insight",
          "feed",
          "task",
          "pipeline.describe",
          "pipeline.read",
          "pipeline.compile",
          "pipeline.edit",
          "pipeline.run",
          "pipeline.insight",
          "pipeline.preview",
          "pipeline.tests");

  private static final JavaClasses CLASSES =
      new ClassFileImporter()
          .withImportOption(ImportOption.Predefined.DO_NOT_INCLUDE_TESTS)
          .importPackages("yardage.core");

  @Test
  void lowerPackagesNeverImportHigherOnes() {
    var rule = layeredArchitecture().consideringOnlyDependenciesInLayers();
    for (String layer : LAYERS) {
      rule = rule.layer(layer).definedBy("yardage.core." + layer + "..");
    }
    for (int i = 0; i < LAYERS.size(); i++) {
      List<String> above = new ArrayList<>(LAYERS.subList(i + 1, LAYERS.size()));
      rule =
          above.isEmpty()
              ? rule.whereLayer(LAYERS.get(i)).mayNotBeAccessedByAnyLayer()
              : rule.whereLayer(LAYERS.get(i))
                  .mayOnlyBeAccessedByLayers(above.toArray(String[]::new));
    }

    rule.check(CLASSES);
  }

  /** Files are read and written by address. Scratch is this machine's own, and is no object. */
  @Test
  void onlyTheLocalStoreAndScratchKnowPaths() {
    noClasses()
        .that()
        .resideOutsideOfPackage("yardage.core.storage..")
        .and()
        .haveNameNotMatching("yardage\\.core\\.exec\\.(Scratch|FrameFile|StageTask)(\\$.*)?")
        .and()
        .doNotHaveFullyQualifiedName("yardage.core.task.TaskKinds")
        .should()
        .dependOnClassesThat()
        .haveNameMatching(
            "java\\.nio\\.file\\.(Path|Paths|Files|FileSystems?)|java\\.io\\.(File|RandomAccessFile|File(In|Out)putStream)|java\\.nio\\.channels\\.FileChannel|org\\.apache\\.iceberg\\.Files|org\\.apache\\.parquet\\.io\\.LocalInputFile")
        .check(CLASSES);
  }

  @Test
  void theCoreKnowsNoServiceTechnology() {
    noClasses()
        .should()
        .dependOnClassesThat()
        .resideInAnyPackage(
            "org.springframework..",
            "jakarta.servlet..",
            "java.net.http..",
            "com.sun.net.httpserver..",
            "org.apache.ibatis..",
            "java.sql..",
            "javax.sql..")
        .check(CLASSES);
  }
}
