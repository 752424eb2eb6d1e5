package yardage.service;

import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;

import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import org.junit.jupiter.api.Test;

/** Features use each other in one direction. */
class ServiceArchitectureTest {
  @Test
  void noFeatureNeedsItselfByWayOfOthers() {
    slices()
        .matching("yardage.service.(*)..")
        .should()
        .beFreeOfCycles()
        .check(
            new ClassFileImporter()
                .withImportOption(ImportOption.Predefined.DO_NOT_INCLUDE_TESTS)
                .importPackages("yardage.service"));
  }
}
