package yardage.service.previews;

import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.function.Supplier;
import org.springframework.stereotype.Component;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.StepTally;
import yardage.core.pipeline.preview.Sample;
import yardage.core.pipeline.preview.Samples;
import yardage.service.memory.EngineMemory;

/**
 * Keeps the samples that were asked for last, as far as memory allows. A sample is found by the
 * contents of its source, so none is ever out of date.
 */
@Component
class SampleShelf implements Samples {
  private static final long MOST_BYTES = 64L << 20;

  private final MemoryPool.Reservation reserved;
  private final Map<Object, Sample> byKey = new LinkedHashMap<>(16, 0.75f, true);
  private long bytes;

  SampleShelf(EngineMemory memory) {
    this.reserved =
        memory.forQuery().reservation(new StepTally("preview", "read"), "samples of sources");
  }

  @Override
  public Sample get(Object key, Supplier<Sample> read) {
    synchronized (this) {
      Sample kept = byKey.get(key);
      if (kept != null) {
        return kept;
      }
    }
    Sample made = read.get();
    keep(key, made);
    return made;
  }

  private synchronized void keep(Object key, Sample sample) {
    if (byKey.containsKey(key) || sample.sizeBytes() > MOST_BYTES / 4) {
      return;
    }
    Iterator<Sample> oldest = byKey.values().iterator();
    while (oldest.hasNext() && bytes + sample.sizeBytes() > MOST_BYTES) {
      bytes -= oldest.next().sizeBytes();
      oldest.remove();
    }
    if (reserved.tryResize(bytes + sample.sizeBytes())) {
      bytes += sample.sizeBytes();
      byKey.put(key, sample);
    }
  }
}
