package yardage.service.uploads;

import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.channels.FileChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.http.HttpStatus;
import org.springframework.scheduling.annotation.Scheduled;
import org.springframework.stereotype.Service;
import yardage.core.feed.FileDiscovery;
import yardage.core.storage.LocalStorage;
import yardage.core.storage.Place;
import yardage.core.storage.Storage;
import yardage.service.YardageProperties;
import yardage.service.lake.LakeService;
import yardage.service.web.ApiException;

/**
 * Takes files into the inbox. What has arrived lies beside the inbox until all of it is there and
 * its hash is right; then it moves in at once, so that no run ever sees half a file.
 */
@Service
class UploadService {
  private static final Logger LOG = LoggerFactory.getLogger(UploadService.class);
  private static final int BUFFER_BYTES = 1 << 16;
  private static final int OPEN_AT_ONCE = 100;
  private static final long SPARE_BYTES = 64 << 20;
  private static final Duration RESTS_AT_MOST = Duration.ofDays(1);

  /** File systems take 255; some are left for a number in brackets. */
  private static final int MAX_NAME_BYTES = 240;

  /** What happens when a file of that name is there. */
  enum IfThere {
    ASK,
    REPLACE,
    KEEP_BOTH,
    SKIP
  }

  private final UploadMapper mapper;
  private final LakeService lake;
  private final YardageProperties properties;
  private final Clock clock;

  private final Object promises = new Object();

  /** One writer an upload at a time. */
  private final Map<String, Object> locks = new ConcurrentHashMap<>();

  UploadService(UploadMapper mapper, LakeService lake, YardageProperties properties, Clock clock) {
    this.mapper = mapper;
    this.lake = lake;
    this.properties = properties;
    this.clock = clock;
  }

  private Path folder() {
    return properties.home().resolve("uploads");
  }

  private Path part(String id) {
    return folder().resolve(id + ".part");
  }

  private long arrived(String id) throws IOException {
    try {
      return Files.size(part(id));
    } catch (NoSuchFileException e) {
      return 0;
    }
  }

  /** Removes uploads that nobody has gone on with for a day, and parts that belong to none. */
  @Scheduled(fixedDelay = 10, initialDelay = 1, timeUnit = TimeUnit.MINUTES)
  void removeForgotten() {
    Instant before = clock.instant().minus(RESTS_AT_MOST);
    Set<String> kept = new HashSet<>();
    for (UploadMapper.Upload u : mapper.all()) {
      if (lastTouched(part(u.id())).orElse(u.begunAt()).isBefore(before)) {
        LOG.info("Removed the unfinished upload of [{}] by [{}]", u.path(), u.begunBy());
        cancel(u.id());
      } else {
        kept.add(part(u.id()).getFileName().toString());
      }
    }
    try (Stream<Path> files = Files.exists(folder()) ? Files.list(folder()) : Stream.empty()) {
      for (Path file : files.toList()) {
        String name = file.getFileName().toString();
        if (name.endsWith(".part")
            && !kept.contains(name)
            && lastTouched(file).map(t -> t.isBefore(before)).orElse(false)) {
          Files.deleteIfExists(file);
        }
      }
    } catch (IOException e) {
      throw new UncheckedIOException("Forgotten uploads cannot be removed: " + e.getMessage(), e);
    }
  }

  private static Optional<Instant> lastTouched(Path file) {
    try {
      return Optional.of(Files.getLastModifiedTime(file).toInstant());
    } catch (IOException e) {
      return Optional.empty();
    }
  }

  UploadMapper.Upload begin(String path, long sizeBytes, IfThere ifThere, String by) {
    Place target = target(path);
    if (sizeBytes < 0) {
      throw wrong("wrong-size", "Invalid size [%d]".formatted(sizeBytes), "Give the file's bytes");
    }
    if (ifThere == IfThere.ASK && isTaken(target)) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "already-there",
          "A file [%s] is in the inbox already".formatted(path),
          "Say replace, keep-both or skip");
    }
    try {
      Files.createDirectories(folder());
      // One at a time: what is promised to uploads that are under way is no room for this one.
      synchronized (promises) {
        List<UploadMapper.Upload> all = mapper.all();
        if (all.stream().filter(u -> u.begunBy().equals(by)).count() >= OPEN_AT_ONCE) {
          throw new ApiException(
              HttpStatus.TOO_MANY_REQUESTS,
              "too-many-uploads",
              "%d uploads of yours are unfinished".formatted(OPEN_AT_ONCE),
              "Finish or cancel some; an upload that rests for a day is removed");
        }
        long promised = 0;
        for (UploadMapper.Upload u : all) {
          promised += Math.max(0, u.sizeBytes() - arrived(u.id()));
        }
        long room = Files.getFileStore(folder()).getUsableSpace() - promised - SPARE_BYTES;
        if (room < sizeBytes) {
          throw new ApiException(
              HttpStatus.INSUFFICIENT_STORAGE,
              "disk-full",
              "The disk has no room for %,d bytes: other uploads are promised %,d"
                  .formatted(sizeBytes, promised),
              "Free some space, then try again");
        }
        UploadMapper.Upload upload =
            new UploadMapper.Upload(
                UUID.randomUUID().toString(), path, sizeBytes, ifThere.name(), by, clock.instant());
        Files.createFile(part(upload.id()));
        mapper.begin(upload);
        return upload;
      }
    } catch (IOException e) {
      throw new UncheckedIOException("The upload cannot begin: " + e.getMessage(), e);
    }
  }

  /** A path below the inbox; hidden names and ways out of it are refused. */
  private static boolean isTaken(Place target) {
    return target.exists() || target.isFolder() || target.storage().isByLink(target.address());
  }

  private Place target(String path) {
    Place inbox = lake.lake().inbox();
    boolean plain =
        !path.isBlank()
            && !path.startsWith("/")
            && !path.contains("\\")
            && path.chars().noneMatch(c -> c < 0x20 || c == 0x7f)
            && path.length() <= 500;
    if (plain) {
      for (String name : path.split("/", -1)) {
        plain &= !name.isEmpty() && !name.startsWith(".");
        if (name.getBytes(StandardCharsets.UTF_8).length > MAX_NAME_BYTES) {
          throw wrong(
              "wrong-path",
              "A name in the path has more than %d bytes: [%s…]"
                  .formatted(MAX_NAME_BYTES, name.substring(0, 40)),
              "Give the file or the folder a shorter name");
        }
      }
    }
    if (!plain) {
      throw wrong(
          "wrong-path",
          "Path [%s] cannot be in the inbox".formatted(path.replaceAll("\\p{Cntrl}", "?")),
          "Write folders and a name with slashes between them; none may start with a dot or hold control characters");
    }
    Place target = inbox.child(path);
    if (target.storage().isByLink(target.address().parent())) {
      throw wrong(
          "wrong-path", "A folder of [%s] is a link".formatted(path), "Choose another folder");
    }
    return target;
  }

  private static ApiException wrong(String code, String message, String fix) {
    return new ApiException(HttpStatus.UNPROCESSABLE_ENTITY, code, message, fix);
  }

  private UploadMapper.Upload find(String id) {
    return mapper.find(id).orElseThrow(() -> ApiException.notFound("upload", id));
  }

  /** How many bytes have arrived. */
  long offset(String id) {
    find(id);
    return size(id);
  }

  private long size(String id) {
    try {
      return Files.size(part(id));
    } catch (IOException e) {
      throw ApiException.notFound("upload", id);
    }
  }

  /**
   * Appends bytes that belong at an offset. What arrives before a connection breaks stays.
   *
   * @return the bytes that have arrived now
   */
  long append(String id, long offset, InputStream in) {
    UploadMapper.Upload upload = find(id);
    synchronized (locks.computeIfAbsent(id, i -> new Object())) {
      long there = size(id);
      if (offset != there) {
        throw new ApiException(
            HttpStatus.CONFLICT,
            "wrong-offset",
            "%,d bytes of the upload have arrived, and these belong at %,d"
                .formatted(there, offset),
            "Ask how many have arrived, and go on from there");
      }
      try (FileChannel out =
          FileChannel.open(part(id), StandardOpenOption.WRITE, StandardOpenOption.APPEND)) {
        byte[] buffer = new byte[BUFFER_BYTES];
        int n;
        while ((n = in.read(buffer)) >= 0) {
          there += n;
          if (there > upload.sizeBytes()) {
            out.truncate(offset);
            throw wrong(
                "too-long",
                "More than the %,d bytes that were announced".formatted(upload.sizeBytes()),
                "Begin the upload again with the right size");
          }
          out.write(java.nio.ByteBuffer.wrap(buffer, 0, n));
        }
        return there;
      } catch (IOException e) {
        throw new UncheckedIOException("The upload broke off: " + e.getMessage(), e);
      }
    }
  }

  /**
   * Moves the whole file into the inbox.
   *
   * @param sha256 what it must have, in hexadecimal
   * @return its path; empty when it was skipped
   */
  Optional<String> finish(String id, String sha256) {
    UploadMapper.Upload upload = find(id);
    synchronized (locks.computeIfAbsent(id, i -> new Object())) {
      Optional<String> before = movedBefore(upload, sha256);
      if (before.isPresent()) {
        mapper.delete(id);
        locks.remove(id);
        return before;
      }
      long there = size(id);
      if (there != upload.sizeBytes()) {
        throw new ApiException(
            HttpStatus.CONFLICT,
            "not-whole",
            "%,d of %,d bytes have arrived".formatted(there, upload.sizeBytes()),
            "Send the rest, then finish");
      }
      String hash = FileDiscovery.sha256(LocalStorage.place(part(id)));
      if (!hash.equalsIgnoreCase(sha256)) {
        cancel(id);
        throw wrong(
            "wrong-hash",
            "The file arrived damaged: its hash is %s, and %s was sent".formatted(hash, sha256),
            "Upload it again");
      }
      Optional<String> moved = move(upload);
      mapper.delete(id);
      locks.remove(id);
      return moved;
    }
  }

  /** Where the file is when it was moved, but the records could not be told so. */
  private Optional<String> movedBefore(UploadMapper.Upload upload, String sha256) {
    if (Files.exists(part(upload.id()))) {
      return Optional.empty();
    }
    String path = upload.path();
    for (int i = 2; ; i++) {
      Place target = target(path);
      Optional<Storage.Stat> found = target.stat();
      if (found.isEmpty()) {
        return Optional.empty();
      }
      if (found.get().sizeBytes() == upload.sizeBytes()
          && FileDiscovery.sha256(target).equalsIgnoreCase(sha256)) {
        return Optional.of(path);
      }
      path = numbered(upload.path(), i);
    }
  }

  private Optional<String> move(UploadMapper.Upload upload) {
    IfThere ifThere = IfThere.valueOf(upload.ifThere());
    String path = upload.path();
    try {
      for (int i = 2; ; i++) {
        Place target = target(path);
        if (target
            .storage()
            .take(part(upload.id()), target.address(), ifThere == IfThere.REPLACE)) {
          return Optional.of(path);
        }
        if (ifThere == IfThere.SKIP) {
          Files.deleteIfExists(part(upload.id()));
          return Optional.empty();
        }
        if (ifThere == IfThere.ASK) {
          throw new ApiException(
              HttpStatus.CONFLICT,
              "already-there",
              "A file [%s] has come into the inbox meanwhile".formatted(path),
              "Upload it again and say replace, keep-both or skip");
        }
        path = numbered(upload.path(), i);
      }
    } catch (IOException e) {
      throw new UncheckedIOException(
          "The file cannot be moved into the inbox: " + e.getMessage(), e);
    }
  }

  private static String numbered(String path, int n) {
    int slash = path.lastIndexOf('/');
    int dot = path.indexOf('.', slash + 1);
    return dot < 0
        ? path + " (" + n + ")"
        : path.substring(0, dot) + " (" + n + ")" + path.substring(dot);
  }

  void cancel(String id) {
    find(id);
    try {
      Files.deleteIfExists(part(id));
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    mapper.delete(id);
    locks.remove(id);
  }
}
