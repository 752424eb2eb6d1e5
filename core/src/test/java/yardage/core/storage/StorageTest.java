package yardage.core.storage;

import static org.junit.jupiter.api.Assertions.*;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.ByteBuffer;
import java.nio.channels.SeekableByteChannel;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.testing.MemoryStorage;

/** What every store promises, and what the local one does about links and broken writes. */
class StorageTest {
  @TempDir Path folder;

  private Place root(String store) {
    return store.equals("local")
        ? LocalStorage.place(folder).child("lake")
        : new MemoryStorage().root();
  }

  private static List<String> names(Place folder) {
    return folder.objects().stream().map(o -> o.address().name()).toList();
  }

  @ParameterizedTest
  @ValueSource(strings = {"local", "memory"})
  void whatIsPutIsListedReadAndRemoved(String store) throws IOException {
    Place root = root(store);
    assertEquals(Optional.empty(), root.child("a/b.txt").stat());
    assertEquals(List.of(), root.child("a").listAll(), "a folder that is not there");
    assertThrows(NoSuchFileException.class, () -> root.child("a/b.txt").readText());
    assertThrows(NoSuchFileException.class, () -> root.child("a/b.txt").open());

    root.child("a/b.txt").put("first");
    root.child("a/deep/c.txt").put("zweite Reihe ü");
    root.child("ab.txt").put("");

    assertEquals("zweite Reihe ü", root.child("a/deep/c.txt").readText());
    assertEquals(5, root.child("a/b.txt").stat().orElseThrow().sizeBytes());
    assertEquals(List.of("b.txt"), names(root.child("a")));
    assertEquals(List.of(root.child("a/deep").address()), root.child("a").list().folders());
    assertEquals(
        List.of("a/b.txt", "a/deep/c.txt", "ab.txt"),
        root.listAll().stream().map(o -> o.address().relativeTo(root.address())).sorted().toList());
    assertTrue(root.child("a").isFolder());
    assertFalse(root.child("a/b.txt").isFolder());
    assertFalse(root.child("a").exists(), "a folder is no object");

    root.child("a/b.txt").moveTo(root.child("x/y/b.txt"));
    assertEquals("first", root.child("x/y/b.txt").readText());
    assertTrue(root.child("x/y/b.txt").delete());
    assertFalse(root.child("x/y/b.txt").delete(), "it is gone already");
    assertEquals(
        List.of("deep"), root.child("a").list().folders().stream().map(Address::name).toList());
  }

  @ParameterizedTest
  @ValueSource(strings = {"local", "memory"})
  void rangesAreReadAsTheyStand(String store) throws IOException {
    Place place = root(store).child("numbers");
    place.put(
        out -> {
          for (int i = 0; i < 5000; i++) {
            out.write(i % 251);
          }
        });
    try (SeekableByteChannel in = place.open()) {
      assertEquals(5000, in.size());
      for (int at : new int[] {4990, 0, 2500}) {
        ByteBuffer ten = ByteBuffer.allocate(10);
        in.position(at);
        while (ten.hasRemaining()) {
          assertTrue(in.read(ten) > 0);
        }
        assertEquals(at % 251, ten.get(0) & 0xff);
        assertEquals((at + 9) % 251, ten.get(9) & 0xff);
      }
      in.position(5000);
      assertEquals(-1, in.read(ByteBuffer.allocate(1)));
    }
  }

  @ParameterizedTest
  @ValueSource(strings = {"local", "memory"})
  void anObjectIsReplacedWholeOrNotAtAll(String store) throws IOException {
    Place place = root(store).child("state/pointer");
    place.put("before");
    IOException broken =
        assertThrows(
            IOException.class,
            () ->
                place.put(
                    out -> {
                      out.write('x');
                      throw new IOException("the disk is full");
                    }));
    assertEquals("the disk is full", broken.getMessage());
    assertEquals("before", place.readText());
    assertEquals(List.of("pointer"), names(place.parent()), "nothing is left of the attempt");
    place.put("after");
    assertEquals("after", place.readText());
    assertThrows(FileAlreadyExistsException.class, () -> place.write(false).close());
    try (OutputStream out = place.write(true)) {
      out.write('!');
    }
    assertEquals("!", place.readText());
    place.storage().settle(place.address());
  }

  @ParameterizedTest
  @ValueSource(strings = {"local", "memory"})
  void ofManyWhoTakeANameOneGetsIt(String store) throws Exception {
    Place target = root(store).child("inbox/rolls.csv");
    List<Path> files =
        IntStream.range(0, 16)
            .mapToObj(i -> write(folder.resolve("part-" + i), "file " + i))
            .toList();
    long taken;
    ExecutorService pool = Executors.newFixedThreadPool(8);
    try {
      taken =
          pool
              .invokeAll(
                  files.stream()
                      .map(
                          f ->
                              (Callable<Boolean>)
                                  () -> target.storage().take(f, target.address(), false))
                      .toList())
              .stream()
              .filter(f -> assertDoesNotThrow(() -> f.get()))
              .count();
    } finally {
      pool.shutdown();
    }
    assertEquals(1, taken);
    assertEquals(15, files.stream().filter(Files::exists).count(), "the others keep their file");
    Path late = write(folder.resolve("late"), "late");
    assertTrue(target.storage().take(late, target.address(), true));
    assertEquals("late", target.readText());
  }

  private static Path write(Path file, String text) {
    return assertDoesNotThrow(() -> Files.writeString(file, text));
  }

  @Test
  void linksAreNoObjects() throws IOException {
    Path outside = Files.createDirectories(folder.resolve("outside"));
    Files.writeString(outside.resolve("secret.txt"), "not the lake's");
    Place lake = LocalStorage.place(Files.createDirectories(folder.resolve("lake")));
    Files.createSymbolicLink(folder.resolve("lake/file"), outside.resolve("secret.txt"));
    Files.createSymbolicLink(folder.resolve("lake/folder"), outside);

    assertFalse(lake.child("file").exists());
    assertThrows(IOException.class, () -> lake.child("file").readText());
    assertThrows(IOException.class, () -> lake.child("file").open());
    assertThrows(IOException.class, () -> lake.child("file").write(true));
    assertFalse(lake.child("folder").isFolder());
    assertEquals(List.of(), lake.listAll());
    assertEquals(new Storage.Listing(List.of(), List.of()), lake.list());
    assertTrue(lake.storage().isByLink(lake.child("folder/new.txt").address()));
    assertFalse(lake.storage().isByLink(lake.child("new.txt").address()));
    lake.child("file").put("a file of its own");
    assertEquals("not the lake's", Files.readString(outside.resolve("secret.txt")));
    try (InputStream in = lake.child("file").read()) {
      assertEquals("a file of its own", new String(in.readAllBytes()));
    }
  }

  @Test
  void textThatIsNotUtf8IsRefused() throws IOException {
    Place place = LocalStorage.place(folder).child("latin.txt");
    place.put(out -> out.write(new byte[] {'G', (byte) 0xfc}));
    assertThrows(java.nio.charset.CharacterCodingException.class, place::readText);
  }

  @Test
  void addressesStayBelowTheirFolder() {
    Address folder = new Address("/lake/schemas");
    assertEquals(Optional.of(new Address("/lake/schemas/b.xsd")), folder.below("a/../b.xsd"));
    assertEquals(Optional.of(new Address("/lake/schemas/a/b")), folder.below("./a//b"));
    Stream.of("../b.xsd", "a/../../b", "/etc/passwd", "", ".", "a/..")
        .forEach(r -> assertEquals(Optional.empty(), folder.below(r), r));
    Stream.of("", "/a/", "/a/../b", "/a/./b", "/a/..")
        .forEach(t -> assertThrows(IllegalArgumentException.class, () -> new Address(t), t));
    assertEquals(
        new Address("/a/..b"), new Address("/a").child("..b"), "a name, though an odd one");
    assertFalse(new Address("/lake/schemas-old").isBelow(folder));
    assertThrows(IllegalArgumentException.class, () -> new Address("/lake/x").relativeTo(folder));
    assertEquals("/", new Address("/lake").parent().text());
    assertEquals("/etc", new Address("/").child("etc").text());
    assertEquals("lake", new Address("/lake").relativeTo(new Address("/")));
  }
}
