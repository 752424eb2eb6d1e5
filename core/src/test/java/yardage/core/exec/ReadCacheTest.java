package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

/** What was read is kept only as long as nobody else needs its memory. */
class ReadCacheTest {
  private final MemoryPool memory = MemoryPool.root("all", 1000);
  private final ReadCache cache = ReadCache.within(memory, 500);

  private record Key(String name) implements ReadCache.Key<String> {}

  private boolean keep(String name, long bytes) {
    Optional<ReadCache.Slot<String>> slot = cache.slot(new Key(name), bytes);
    slot.ifPresent(s -> s.fill("what " + name + " holds"));
    return slot.isPresent();
  }

  private String kept() {
    List<String> out = new ArrayList<>();
    for (String name : List.of("a", "b", "c", "d")) {
      if (cache.get(new Key(name)).isPresent()) {
        out.add(name);
      }
    }
    return String.join("", out);
  }

  private void keepAgain(String... names) {
    for (String name : names) {
      keep(name, 150);
      assertTrue(keep(name, 150));
    }
  }

  @Test
  void whatIsAskedForAgainIsKeptAndTheOldestGoes() {
    assertFalse(keep("a", 150), "it may pass by once");
    assertTrue(keep("a", 150));
    assertEquals(Optional.of("what a holds"), cache.get(new Key("a")));
    keepAgain("b", "c");
    assertEquals("abc", kept());
    cache.get(new Key("a"));
    keep("d", 150);
    assertTrue(keep("d", 150));
    assertEquals("acd", kept(), "nobody asked for b as long");
    keep("large", 501);
    assertFalse(keep("large", 501), "never more than its limit");
    assertEquals(450, memory.usedBytes());
  }

  @Test
  void claimsOfOthersAreMetFromIt() {
    keepAgain("a", "b", "c");
    MemoryPool run = memory.child("run", 900);
    assertTrue(run.tryReserve(600));
    assertEquals("bc", kept(), "no more went than was needed");
    assertTrue(run.tryReserve(300));
    assertEquals("", kept());
    assertFalse(run.tryReserve(1), "its own limit");
    assertEquals(900, memory.usedBytes());
    keep("a", 150);
    assertFalse(keep("a", 150), "it asks nobody");
    run.release(900);
    assertEquals(0, memory.usedBytes());
  }

  @Test
  void whatIsBeingReadGivesWayToo() {
    cache.slot(new Key("a"), 400);
    ReadCache.Slot<String> slot = cache.slot(new Key("a"), 400).orElseThrow();
    assertTrue(memory.tryReserve(900));
    assertFalse(slot.isOpen());
    slot.fill("too late");
    assertEquals("", kept());
    slot.close();
    assertEquals(900, memory.usedBytes());
  }

  @Test
  void aPoolHasOneCacheAndOnlyAtTheTop() {
    assertThrows(IllegalStateException.class, () -> ReadCache.within(memory, 1));
    assertThrows(IllegalStateException.class, () -> ReadCache.within(memory.child("run", 1), 1));
  }

  @Test
  void manyThreadsLeaveTheBooksBalanced() {
    IntStream.range(0, 200)
        .parallel()
        .forEach(
            task -> {
              for (int i = 0; i < 400; i++) {
                String name = "k" + i * (task + 1) % 13;
                if (cache.get(new Key(name)).isEmpty()) {
                  keep(name, 40 + i % 90);
                }
                if (i % 3 == task % 3 && memory.tryReserve(700)) {
                  memory.release(700);
                }
              }
            });
    assertEquals(cache.heldBytes(), memory.usedBytes());
    cache.giveBack(Long.MAX_VALUE);
    assertEquals(0, memory.usedBytes());
  }
}
