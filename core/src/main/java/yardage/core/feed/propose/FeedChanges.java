package yardage.core.feed.propose;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import yardage.core.column.NumberTypes;
import yardage.core.column.Type;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Place;
import yardage.core.expr.Conform;
import yardage.core.feed.FeedColumn;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FeedFormat;
import yardage.core.feed.FieldOrder;
import yardage.core.feed.FileDiscovery;

/**
 * Holds a feed's newest files against its contract, and proposes the contract that they would fit.
 *
 * @param changes what differs
 * @param text the feed's document with the changes that can be accepted; the same text where none
 *     can
 */
public record FeedChanges(List<FieldChange> changes, String text) {
  private static final int MOST_FILES = 5;

  public FeedChanges {
    changes = List.copyOf(changes);
  }

  /** The changes that the text takes in. */
  public List<FieldChange> accepted() {
    return changes.stream().filter(c -> isAcceptable(c.kind())).toList();
  }

  /** The changes that are for a person to decide: no wider type takes these values. */
  public List<FieldChange> left() {
    return changes.stream().filter(c -> c.kind() == FieldChange.Kind.OTHER).toList();
  }

  private static boolean isAcceptable(FieldChange.Kind kind) {
    return switch (kind) {
      case NEW, MISSING, WIDER -> true;
      case MOVED, OTHER -> false;
    };
  }

  /** What is accepted, in few words: the columns by what became of them. */
  public String told() {
    Map<FieldChange.Kind, List<String>> byKind = new java.util.EnumMap<>(FieldChange.Kind.class);
    accepted()
        .forEach(c -> byKind.computeIfAbsent(c.kind(), k -> new ArrayList<>()).add(c.column()));
    List<String> out = new ArrayList<>();
    byKind.forEach(
        (kind, columns) ->
            out.add(
                switch (kind) {
                      case NEW -> "new: ";
                      case MISSING -> "may be absent now: ";
                      case WIDER -> "wider now: ";
                      case MOVED, OTHER -> "";
                    }
                    + String.join(", ", columns)));
    return String.join("; ", out);
  }

  /**
   * @param text the feed's document
   * @param files to look at; the newest of them are
   */
  public static FeedChanges of(FeedDefinition feed, String text, List<FileDiscovery.Found> files) {
    Map<String, FieldChange> changes = new LinkedHashMap<>();
    for (FileDiscovery.Found file : newest(files)) {
      shapeOf(file, feed).ifPresent(s -> compare(feed, file, s, changes));
    }
    List<FieldChange> all = List.copyOf(changes.values());
    return new FeedChanges(all, new Edit(feed, text, all).result());
  }

  private static void compare(
      FeedDefinition feed,
      FileDiscovery.Found file,
      Proposal.Shape shape,
      Map<String, FieldChange> changes) {
    List<String> seen = new ArrayList<>();
    if (isByPlace(feed)) {
      // Nothing in such files names a field, so the numbers alone tell.
      compareCounts(feed, file, shape, changes);
      return;
    }
    for (Proposal.Column column : shape.columns()) {
      if (column.settings().containsKey("folder")) {
        continue;
      }
      String field = fileName(column);
      seen.add(field.toLowerCase(Locale.ROOT));
      Optional<FeedColumn> declared =
          feed.fields().stream().filter(c -> c.fileName().equalsIgnoreCase(field)).findFirst();
      boolean reached =
          feed.fields().stream()
              .anyMatch(
                  c ->
                      c.fileName()
                          .toLowerCase(Locale.ROOT)
                          .matches(
                              java.util.regex.Pattern.quote(field.toLowerCase(Locale.ROOT))
                                  + "[./\\[].*"));
      if (declared.isEmpty() && !reached) {
        changes.putIfAbsent(
            field,
            new FieldChange(
                FieldChange.Kind.NEW,
                column.name(),
                field,
                Optional.of(column.type()),
                "[%s] is new in %s: %s".formatted(field, file.path(), column.because())));
      } else if (declared.isPresent()) {
        retyped(declared.get(), field, file, column).ifPresent(c -> changes.putIfAbsent(field, c));
      }
    }
    if (feed.format() instanceof FeedFormat.Delimited) {
      FieldOrder.of(feed, file.path(), seen)
          .ifPresent(
              m ->
                  changes.putIfAbsent(
                      "",
                      new FieldChange(
                          FieldChange.Kind.MOVED,
                          m.field(),
                          m.field(),
                          Optional.empty(),
                          m.found() + "; they are matched by name, so nothing is wrong")));
    }
    boolean everyRecordHasAll =
        feed.format().word().equals("text") || feed.format().word().equals("parquet");
    for (FeedColumn column : feed.fields()) {
      if (everyRecordHasAll && !seen.contains(column.fileName().toLowerCase(Locale.ROOT))) {
        changes.putIfAbsent(
            column.fileName(),
            new FieldChange(
                FieldChange.Kind.MISSING,
                column.name(),
                column.fileName(),
                Optional.empty(),
                "[%s] is not in %s".formatted(column.fileName(), file.path())));
      }
    }
  }

  private static void compareCounts(
      FeedDefinition feed,
      FileDiscovery.Found file,
      Proposal.Shape shape,
      Map<String, FieldChange> changes) {
    int declared = feed.fields().size();
    for (int i = declared; i < shape.columns().size(); i++) {
      Proposal.Column column = shape.columns().get(i);
      String name = "column_" + (i + 1);
      changes.putIfAbsent(
          name,
          new FieldChange(
              FieldChange.Kind.NEW,
              name,
              name,
              Optional.of(column.type()),
              "field %d is new in %s: %s".formatted(i + 1, file.path(), column.because())));
    }
    for (int i = 0; i < Math.min(declared, shape.columns().size()); i++) {
      FeedColumn column = feed.fields().get(i);
      retyped(column, column.fileName(), file, shape.columns().get(i))
          .ifPresent(c -> changes.putIfAbsent(column.fileName(), c));
    }
  }

  private static String fileName(Proposal.Column column) {
    String from = column.settings().get("from");
    if (from == null) {
      return column.name();
    }
    return from.startsWith("\"") && DocumentValue.parse(from) instanceof TextValue t
        ? t.text()
        : from;
  }

  private static Optional<FieldChange> retyped(
      FeedColumn declared, String field, FileDiscovery.Found file, Proposal.Column column) {
    Type before = declared.rule().type();
    List<ColumnGuess.Value> wrong =
        before.isNested() ? List.of() : ColumnGuess.wrongFor(declared.rule(), column.values());
    Type grown = before.isNested() ? grown(before, column.type()) : before;
    if (wrong.isEmpty() && grown.equals(before)) {
      return Optional.empty();
    }
    Optional<Type> wider =
        (before.isNested() ? Optional.of(grown) : wider(before, exact(column)))
            .filter(
                t ->
                    before.isNested()
                        || ColumnGuess.wrongFor(
                                declared.rule().of(declared.name(), t, false), column.values())
                            .isEmpty());
    if (wider.isEmpty() && wrong.size() <= column.values().size() / 2) {
      // A few values that fit nothing are rows to set aside, not another contract.
      return Optional.empty();
    }
    String found =
        before.isNested()
            ? "[%s] has new fields in %s: it is %s there, and %s in the contract"
                .formatted(field, file.path(), column.type(), before)
            : "%,d of %,d values of [%s] in %s are not valid %s values: %s"
                .formatted(
                    wrong.size(),
                    column.values().size(),
                    field,
                    file.path(),
                    before,
                    ColumnGuess.examples(wrong));
    return Optional.of(
        new FieldChange(
            wider.isPresent() ? FieldChange.Kind.WIDER : FieldChange.Kind.OTHER,
            declared.name(),
            field,
            wider,
            found));
  }

  /**
   * A column's type, for doubles the one that holds the sample's values exactly, if there is one.
   */
  private static Type exact(Proposal.Column column) {
    boolean isDouble = column.type().isApproximate() && !column.values().isEmpty();
    return isDouble
        ? ColumnGuess.of(column.name(), column.values(), Map.of(), false).type()
        : column.type();
  }

  /**
   * Looks for values in the newest files that stand against a contract whose numbers or times have
   * become narrower. Texts that become something else are no narrowing: what does not fit is then
   * set aside, as the contract means it.
   *
   * @return for each such column what stands against it, in words
   */
  public static List<String> againstNarrowing(
      FeedDefinition before, FeedDefinition after, List<FileDiscovery.Found> files) {
    List<FeedColumn> narrowed =
        after.fields().stream()
            .filter(c -> !c.rule().nullIfWrong())
            .filter(
                c ->
                    before.fields().stream()
                        .anyMatch(
                            b ->
                                b.name().equalsIgnoreCase(c.name())
                                    && isNarrower(b.rule().type(), c.rule().type())))
            .toList();
    Map<String, String> out = new LinkedHashMap<>();
    for (FileDiscovery.Found file :
        narrowed.isEmpty() ? List.<FileDiscovery.Found>of() : newest(files)) {
      List<Proposal.Column> columns =
          shapeOf(file, after).map(Proposal.Shape::columns).orElse(List.of());
      for (int i = 0; i < columns.size(); i++) {
        Proposal.Column column = columns.get(i);
        boolean byPlace = isByPlace(after);
        String field =
            byPlace && i < after.fields().size()
                ? after.fields().get(i).fileName()
                : fileName(column);
        narrowed.stream()
            .filter(c -> c.fileName().equalsIgnoreCase(field))
            .forEach(
                c -> {
                  List<ColumnGuess.Value> wrong = ColumnGuess.wrongFor(c.rule(), column.values());
                  if (!wrong.isEmpty()) {
                    out.putIfAbsent(
                        c.name(),
                        "%,d of %,d values of [%s] in %s are not valid %s values: %s"
                            .formatted(
                                wrong.size(),
                                column.values().size(),
                                field,
                                file.path(),
                                c.rule().type(),
                                ColumnGuess.examples(wrong)));
                  }
                });
      }
    }
    return List.copyOf(out.values());
  }

  private static boolean isNarrower(Type before, Type after) {
    boolean numbers = before.isNumeric() && after.isNumeric();
    boolean times = before.kind() == Type.Kind.TIMESTAMP && after.kind() == Type.Kind.DATE;
    return times || numbers && !Conform.fits(before, after);
  }

  private static boolean isByPlace(FeedDefinition feed) {
    return feed.format() instanceof FeedFormat.Delimited d
        && (!d.layout().header() || d.layout().byPosition());
  }

  private static List<FileDiscovery.Found> newest(List<FileDiscovery.Found> files) {
    return files.stream()
        .sorted(Comparator.comparing(FileDiscovery.Found::modified).reversed())
        .limit(MOST_FILES)
        .toList();
  }

  private static Optional<Proposal.Shape> shapeOf(FileDiscovery.Found file, FeedDefinition feed) {
    try {
      return Proposals.shapeOf(file, feed);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** The least type that takes what both take, if a table's column can become it. */
  static Optional<Type> wider(Type before, Type now) {
    if (before.kind() == Type.Kind.INT && now.kind() == Type.Kind.BIGINT) {
      return Optional.of(Type.BIGINT);
    }
    if (before.kind() == Type.Kind.FLOAT && now.kind() == Type.Kind.DOUBLE) {
      return Optional.of(Type.DOUBLE);
    }
    boolean decimals =
        now.kind() == Type.Kind.DECIMAL && before.isNumeric() && !before.isApproximate();
    if (decimals) {
      return Optional.of(NumberTypes.common(before, now));
    }
    return Optional.empty();
  }

  /**
   * A nested type with the fields that are new in it. Types of fields that are there stay, since a
   * sample tells of them only what it happens to hold.
   */
  private static Type grown(Type before, Type now) {
    if (before.kind() != now.kind()) {
      return before;
    }
    if (before.kind() == Type.Kind.LIST) {
      return Type.list(grown(before.element(), now.element()));
    }
    if (before.kind() == Type.Kind.MAP) {
      return Type.map(
          before.parts().get(0).type(),
          grown(before.parts().get(1).type(), now.parts().get(1).type()));
    }
    if (before.kind() != Type.Kind.STRUCT) {
      return before;
    }
    List<Type.Part> parts = new ArrayList<>();
    for (Type.Part p : before.parts()) {
      int at = now.indexOf(p.name());
      parts.add(
          new Type.Part(p.name(), at < 0 ? p.type() : grown(p.type(), now.parts().get(at).type())));
    }
    for (Type.Part p : now.parts()) {
      // In XML an attribute may be named without its sign.
      String plain = p.name().startsWith("@") ? p.name().substring(1) : p.name();
      if (before.indexOf(p.name()) < 0 && before.indexOf(plain) < 0) {
        parts.add(p);
      }
    }
    return Type.struct(parts);
  }

  /** Changes a feed's document in place, so that comments and order stay. */
  private static final class Edit {
    private final FeedDefinition feed;
    private final List<StringBuilder> lines = new ArrayList<>();
    private final List<FieldChange> changes;
    private final MapValue columns;

    Edit(FeedDefinition feed, String text, List<FieldChange> changes) {
      this.feed = feed;
      this.changes = changes;
      for (String line : text.split("\n", -1)) {
        lines.add(new StringBuilder(line));
      }
      MapValue root = (MapValue) DocumentValue.parse(text);
      this.columns =
          (MapValue)
              root.entries().entrySet().stream()
                  .filter(e -> e.getKey().text().equals("columns"))
                  .findFirst()
                  .orElseThrow()
                  .getValue();
    }

    String result() {
      // From the end to the start, so that places stay what they are.
      List<Map.Entry<TextValue, DocumentValue>> entries =
          new ArrayList<>(columns.entries().entrySet());
      add(entries.get(entries.size() - 1));
      for (int i = entries.size() - 1; i >= 0; i--) {
        String name = entries.get(i).getKey().text();
        DocumentValue value = entries.get(i).getValue();
        changes.stream()
            .filter(c -> c.column().equals(name))
            .forEach(
                c -> {
                  if (c.kind() == FieldChange.Kind.WIDER) {
                    typeOf(value)
                        .ifPresent(
                            t ->
                                replace(
                                    t.place(), Yaml.flow(c.proposed().orElseThrow().toString())));
                  } else if (c.kind() == FieldChange.Kind.MISSING) {
                    allowAbsence(value);
                  }
                });
      }
      StringBuilder out = new StringBuilder();
      for (int i = 0; i < lines.size(); i++) {
        out.append(i > 0 ? "\n" : "").append(lines.get(i));
      }
      return out.toString();
    }

    private static Optional<TextValue> typeOf(DocumentValue value) {
      if (value instanceof TextValue t) {
        return Optional.of(t);
      }
      return ((MapValue) value)
          .entries().entrySet().stream()
              .filter(e -> e.getKey().text().equals("type"))
              .map(e -> (TextValue) e.getValue())
              .findFirst();
    }

    private void allowAbsence(DocumentValue value) {
      if (value instanceof TextValue t) {
        replace(t.place(), "{type: " + Yaml.flow(t.text()) + ", may-be-absent: true}");
      } else if (lineAt(value.place()).charAt(value.place().column() - 1) == '{') {
        int at = value.place().column();
        lineAt(value.place()).insert(at, "may-be-absent: true, ");
      } else {
        int indent = value.place().column() - 1;
        lines.add(
            value.place().line() - 1,
            new StringBuilder(" ".repeat(indent) + "may-be-absent: true"));
      }
    }

    private StringBuilder lineAt(Place place) {
      return lines.get(place.line() - 1);
    }

    private void replace(Place place, String with) {
      StringBuilder line = lineAt(place);
      int end = place.endLine() == place.line() ? place.endColumn() : line.length();
      line.replace(place.column() - 1, Math.min(end, line.length()), with);
    }

    private void add(Map.Entry<TextValue, DocumentValue> last) {
      List<String> added = new ArrayList<>();
      for (FieldChange c : changes) {
        if (c.kind() == FieldChange.Kind.NEW) {
          String type = Yaml.flow(c.proposed().orElseThrow().toString());
          List<String> settings = new ArrayList<>();
          if (!c.column().equals(c.field())) {
            settings.add("from: " + Yaml.flow(c.field()));
          }
          if (feed.format() instanceof FeedFormat.Delimited) {
            // Older files do not have it, and may still be read.
            settings.add("may-be-absent: true");
          }
          added.add(
              Yaml.scalar(c.column())
                  + ": "
                  + (settings.isEmpty()
                      ? type
                      : "{type: %s, %s}".formatted(type, String.join(", ", settings))));
        }
      }
      if (added.isEmpty() || feed.columns().isEmpty()) {
        return;
      }
      boolean flow = lineAt(columns.place()).charAt(columns.place().column() - 1) == '{';
      Place end = last.getValue().place();
      if (flow) {
        lines.get(end.endLine() - 1).insert(end.endColumn(), ", " + String.join(", ", added));
        return;
      }
      String indent = " ".repeat(last.getKey().place().column() - 1);
      int at = lastLineOf(last);
      for (String column : added) {
        lines.add(at++, new StringBuilder(indent + column));
      }
    }

    /** The line behind the last column: a block's end may stand on the line of what follows it. */
    private int lastLineOf(Map.Entry<TextValue, DocumentValue> last) {
      if (last.getValue() instanceof MapValue map
          && lineAt(map.place()).charAt(map.place().column() - 1) != '{') {
        return map.entries().values().stream()
            .mapToInt(v -> v.place().endLine())
            .max()
            .orElse(map.place().line());
      }
      return last.getValue().place().endLine();
    }
  }
}
