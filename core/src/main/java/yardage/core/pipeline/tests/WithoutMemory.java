package yardage.core.pipeline.tests;

import java.util.Optional;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.CatalogWith;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;

/** What is there, but for dimensions that the pipeline itself keeps: a test begins without them. */
record WithoutMemory(Catalog others, PipelineDocument document) implements CatalogWith {
  @Override
  public Optional<LakeTable> table(TableName name) {
    boolean memory =
        document.steps().values().stream()
            .anyMatch(s -> s.verb() instanceof Verb.Dimension d && d.table().equals(name));
    return memory ? Optional.empty() : others.table(name);
  }
}
