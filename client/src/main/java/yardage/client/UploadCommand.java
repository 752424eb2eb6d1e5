package yardage.client;

import java.io.IOException;
import java.io.InputStream;
import java.io.RandomAccessFile;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.DigestInputStream;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;

/** Sends files into the inbox, in parts, and goes on where a connection broke off. */
@Command(name = "upload", description = "Send files into the inbox; the hash of each is checked.")
final class UploadCommand implements Callable<Integer> {
  private static final int PART_BYTES = 8 << 20;
  private static final int MOST_TRIES = 5;

  @ParentCommand Main main;

  @Parameters(paramLabel = "FILE", arity = "1..*")
  List<Path> files;

  @Option(names = "--to", required = true, description = "A folder below the inbox.")
  String folder;

  @Option(
      names = "--if-there",
      defaultValue = "ask",
      description = "When a file of that name is there: ask (refuse), replace, keep-both or skip.")
  String ifThere;

  @Override
  public Integer call() {
    int failed = 0;
    for (Path file : files) {
      try {
        System.out.println(upload(file));
      } catch (ClientException e) {
        if (e.exitCode() == ExitCode.WRONG_USAGE) {
          throw e;
        }
        failed++;
        System.err.println(file + ": " + e.getMessage());
      }
    }
    return failed == 0 ? ExitCode.DONE : ExitCode.FAILED;
  }

  private String upload(Path file) {
    if (!Files.isRegularFile(file)) {
      throw new ClientException(ExitCode.WRONG_USAGE, "There is no file [%s]".formatted(file));
    }
    String path = folder.replaceAll("/+$", "") + "/" + file.getFileName();
    try {
      long size = Files.size(file);
      JsonNode begun =
          main.api().post("/uploads", Map.of("path", path, "sizeBytes", size, "ifThere", ifThere));
      String id = begun.path("id").asString();
      send(file, id, size);
      JsonNode done = main.api().post("/uploads/" + id + "/finish", Map.of("sha256", sha256(file)));
      return done.has("path") && !done.path("path").isNull()
          ? "%s: %,d bytes, now at %s".formatted(file, size, done.path("path").asString())
          : "%s: skipped, since %s is there".formatted(file, path);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private void send(Path file, String id, long size) throws IOException {
    long offset = 0;
    int tries = 0;
    boolean bar = System.console() != null && size > PART_BYTES;
    try (RandomAccessFile in = new RandomAccessFile(file.toFile(), "r")) {
      while (offset < size) {
        in.seek(offset);
        byte[] part = new byte[(int) Math.min(PART_BYTES, size - offset)];
        in.readFully(part);
        try {
          offset = main.api().putBytes("/uploads/" + id + "?offset=" + offset, part);
          tries = 0;
        } catch (ClientException e) {
          if (++tries == MOST_TRIES) {
            throw e;
          }
          // What has arrived before the connection broke stays: ask, and go on from there.
          pause(tries);
          long arrived = arrived(id).orElse(offset);
          if (e.exitCode() != ExitCode.NO_SERVICE && arrived == offset) {
            // A refusal that says the same again.
            throw e;
          }
          offset = arrived;
        }
        if (bar) {
          Terminal.draw(
              "\r%s  %d %%"
                  .formatted(
                      Terminal.line(String.valueOf(file.getFileName())), offset * 100 / size));
        }
      }
    }
    if (bar) {
      System.err.println();
    }
  }

  private Optional<Long> arrived(String id) {
    try {
      return Optional.of(main.api().get("/uploads/" + id).path("arrived").asLong());
    } catch (ClientException e) {
      return Optional.empty();
    }
  }

  private static void pause(int tries) {
    try {
      Thread.sleep(300L << tries);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new ClientException(ExitCode.STOPPED, "Interrupted");
    }
  }

  private static String sha256(Path file) throws IOException {
    try {
      MessageDigest digest = MessageDigest.getInstance("SHA-256");
      try (InputStream in = new DigestInputStream(Files.newInputStream(file), digest)) {
        in.transferTo(java.io.OutputStream.nullOutputStream());
      }
      return HexFormat.of().formatHex(digest.digest());
    } catch (NoSuchAlgorithmException e) {
      throw new AssertionError("Every Java platform has SHA-256", e);
    }
  }
}
