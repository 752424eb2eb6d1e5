package yardage.core.feed;

import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.NoSuchFileException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.function.BiConsumer;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import yardage.core.storage.Place;
import yardage.core.storage.Storage;

/**
 * Rows that were set aside and are to be taken in again, corrected or not. They become files of
 * their feed, in a hidden folder of the inbox: so the intake ledger sees to it that each is taken
 * once, and a feed that is read whole has them each time.
 */
public final class Replays {
  private static final String FOLDER = ".replayed";
  private static final String ORIGIN = ".origin";

  /** Behind the name of a file that no run reads yet, or no more. */
  private static final String HELD = ".held";

  /** The files after the first of a replay have its name and a number. */
  private static final Pattern MEMBER = Pattern.compile("(run-\\d+-\\d+)-\\d+");

  private static final ObjectMapper JSON = new ObjectMapper();

  private Replays() {}

  /**
   * A record as it shall be read, what must stand around it, and where it stood when it first came.
   */
  public record Line(
      String record, String before, String after, String file, long line, long byteOffset) {}

  /**
   * Where the records of a replay stood in the file that they came from.
   *
   * @param byLine for the line on which a record begins in the replay, its line and byte there
   */
  record Origin(String file, Map<Long, long[]> byLine) {
    long line(long replayed) {
      return byLine.containsKey(replayed) ? byLine.get(replayed)[0] : replayed;
    }

    long byteOffset(long replayed, long otherwise) {
      return byLine.containsKey(replayed) ? byLine.get(replayed)[1] : otherwise;
    }
  }

  /** Where the records of a replay come from; replays of before do not say. */
  static Optional<Origin> origin(Place replay) {
    Place told = originPlace(replay);
    if (!told.exists()) {
      return Optional.empty();
    }
    try {
      return Optional.of(JSON.readValue(told.readText(), Origin.class));
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot read where the replayed rows of [%s] come from".formatted(replay), e);
    }
  }

  private static Place originPlace(Place replay) {
    return replay.sibling(replay.name() + ORIGIN);
  }

  private static Place folder(Place inbox, String feed) {
    return inbox.child(FOLDER).child(feed);
  }

  static boolean isReplay(String path) {
    return path.startsWith(FOLDER + "/");
  }

  /** Where the replayed files of a feed are below the inbox, with a slash at its end. */
  public static String folderOf(String feed) {
    return FOLDER + "/" + feed + "/";
  }

  /** Gives replayed files a second place under another feed's name. */
  public static void copyFolder(Place inbox, String feed, String other) {
    Place from = folder(inbox, feed);
    Place to = folder(inbox, other);
    try {
      for (Storage.Stat file : from.objects()) {
        inbox.at(file.address()).copyTo(to.child(file.address().name()));
      }
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot copy [%s] to [%s]".formatted(from, to), e);
    }
  }

  /**
   * Ends the first place of replayed files that were copied. Files that came since the copy are
   * moved.
   */
  public static void leaveFolder(Place inbox, String feed, String other) {
    Place folder = folder(inbox, feed);
    Place to = folder(inbox, other);
    try {
      for (Storage.Stat file : folder.objects()) {
        Place from = inbox.at(file.address());
        if (to.child(from.name()).exists()) {
          from.delete();
        } else {
          from.moveTo(to.child(from.name()));
        }
      }
      folder.delete();
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot move [%s] to [%s]".formatted(folder, to), e);
    }
  }

  /** The replayed files of a feed. */
  static List<FileDiscovery.Found> find(Place inbox, String feed) {
    return folder(inbox, feed).objects().stream()
        .filter(f -> isWhole(f.address().name()))
        .map(f -> FileDiscovery.Found.of(inbox, f))
        .toList();
  }

  /** A record that was replayed before, as it stood in the file that it first came from. */
  public static Line traced(Place inbox, Line line) {
    Optional<Origin> from =
        isReplay(line.file()) ? origin(inbox.child(line.file())) : Optional.empty();
    return from.map(
            o ->
                new Line(
                    line.record(),
                    line.before(),
                    line.after(),
                    o.file(),
                    o.line(line.line()),
                    o.byteOffset(line.line(), line.byteOffset())))
        .orElse(line);
  }

  private static boolean isWhole(String name) {
    return !name.endsWith(".tmp") && !name.endsWith(ORIGIN) && !name.endsWith(HELD);
  }

  /**
   * Makes files of some rows, one for each file that they come from. They are held: nobody reads
   * them before {@link #release}.
   *
   * @param name a name never used before: {@code run-}, the run, and a number
   * @return the files' paths below the inbox
   */
  public static List<String> write(
      Place inbox, FeedDefinition feed, String name, List<Line> lines) {
    Map<String, List<Line>> alike = new LinkedHashMap<>();
    lines.forEach(
        l ->
            alike
                .computeIfAbsent(
                    l.file() + "\0" + l.before() + "\0" + l.after(), k -> new ArrayList<>())
                .add(l));
    List<String> out = new ArrayList<>();
    Place folder = folder(inbox, feed.name());
    try {
      for (List<Line> group : alike.values()) {
        Place file = folder.child(name + (out.isEmpty() ? "" : "-" + (out.size() + 1)));
        originPlace(file).put(JSON.writeValueAsString(originOf(feed, group)));
        heldPlace(file).put(text(feed, group));
        out.add(file.address().relativeTo(inbox.address()));
      }
    } catch (IOException e) {
      throw new UncheckedIOException(
          "The rows cannot be kept in [%s]: %s".formatted(folder, e.getMessage()), e);
    }
    return out;
  }

  /** Where records of one file come from, once {@link #text} has put them one behind the other. */
  static Origin originOf(FeedDefinition feed, List<Line> lines) {
    Map<Long, long[]> places = new LinkedHashMap<>();
    text(feed, lines, (line, l) -> places.put(line, new long[] {l.line(), l.byteOffset()}));
    return new Origin(lines.get(0).file(), places);
  }

  private static Place heldPlace(Place file) {
    return file.sibling(file.name() + HELD);
  }

  /** All files that {@link #write} made in one go, held or not, by the first of them. */
  public static List<String> group(Place inbox, String first) {
    List<String> out = new ArrayList<>();
    for (int i = 1; ; i++) {
      String file = first + (i == 1 ? "" : "-" + i);
      if (!inbox.child(file).exists() && !heldPlace(inbox.child(file)).exists()) {
        return out;
      }
      out.add(file);
    }
  }

  /** Lets runs read files. Those that are read already stay as they are. */
  public static void release(Place inbox, List<String> files) {
    files.forEach(f -> move(heldPlace(inbox.child(f)), inbox.child(f)));
  }

  /** Keeps files from runs, without removing them. */
  public static void hold(Place inbox, List<String> files) {
    files.forEach(f -> move(inbox.child(f), heldPlace(inbox.child(f))));
  }

  private static void move(Place from, Place to) {
    try {
      if (from.exists()) {
        from.moveTo(to);
      }
    } catch (NoSuchFileException e) {
      // Moved by somebody else meanwhile.
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot move [%s] to [%s]".formatted(from, to), e);
    }
  }

  /** The first files of replays with a file that is held, and when that was written. */
  public static Map<String, Instant> held(Place inbox) {
    Map<String, Instant> out = new TreeMap<>();
    for (Storage.Stat file : inbox.child(FOLDER).listAll()) {
      if (file.address().name().endsWith(HELD)) {
        String held = file.address().name();
        String name = held.substring(0, held.length() - HELD.length());
        Matcher member = MEMBER.matcher(name);
        out.merge(
            file.address()
                .sibling(member.matches() ? member.group(1) : name)
                .relativeTo(inbox.address()),
            file.modified(),
            (a, b) -> a.isAfter(b) ? a : b);
      }
    }
    return out;
  }

  /** Takes back files that {@link #write} made. */
  public static void remove(Place inbox, List<String> files) {
    for (String file : files) {
      inbox.child(file).delete();
      heldPlace(inbox.child(file)).delete();
      originPlace(inbox.child(file)).delete();
    }
  }

  /** Some records as a file of the feed. */
  public static String text(FeedDefinition feed, List<Line> lines) {
    return text(feed, lines, (line, record) -> {});
  }

  /**
   * @param begins takes the 1-based line on which each record begins
   */
  private static String text(FeedDefinition feed, List<Line> lines, BiConsumer<Long, Line> begins) {
    StringBuilder out = new StringBuilder("\n".repeat(feed.format().skipLines()));
    out.append(lines.get(0).before());
    if (out.length() > 0) {
      out.append('\n');
    }
    long line = 1 + out.chars().filter(c -> c == '\n').count();
    for (Line l : lines) {
      begins.accept(line, l);
      out.append(l.record()).append('\n');
      line += 1 + l.record().chars().filter(c -> c == '\n').count();
    }
    return out.append(lines.get(0).after()).toString();
  }
}
