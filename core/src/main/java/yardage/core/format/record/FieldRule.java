package yardage.core.format.record;

import java.util.List;
import java.util.Optional;
import yardage.core.column.Type;

/**
 * What one field must be, and how its text is read.
 *
 * @param nullTokens unquoted texts that mean null; blanks around them count
 * @param formats how dates and timestamps are written, tried in order; see {@link TemporalPattern};
 *     ISO 8601 when there is none
 * @param numbers how numbers are written; digits, a point and a sign when absent
 * @param trim whether blanks around a text are no part of it; around other values they never are
 * @param truths the words for true and false; {@code true} and {@code false} when absent
 * @param otherwise the text that is read in the place of a null; none when absent
 * @param nullIfWrong whether a value that does not fit becomes null, rather than fail its record
 * @param zone whose wall clock times without an offset show; they are UTC when absent
 */
public record FieldRule(
    String name,
    Type type,
    boolean required,
    List<String> nullTokens,
    List<String> formats,
    Optional<NumberStyle> numbers,
    boolean trim,
    Optional<TruthWords> truths,
    Optional<String> otherwise,
    boolean nullIfWrong,
    Optional<LocalZone> zone) {

  /** Words for true and false, whatever their case. */
  public record TruthWords(List<String> yes, List<String> no) {
    public TruthWords {
      yes = List.copyOf(yes);
      no = List.copyOf(no);
    }
  }

  public FieldRule {
    nullTokens = List.copyOf(nullTokens);
    formats = List.copyOf(formats);
  }

  public FieldRule(
      String name, Type type, boolean required, List<String> nullTokens, Optional<String> format) {
    this(
        name,
        type,
        required,
        nullTokens,
        format.stream().toList(),
        Optional.empty(),
        false,
        Optional.empty(),
        Optional.empty(),
        false,
        Optional.empty());
  }

  public static FieldRule of(String name, Type type) {
    return new FieldRule(name, type, false, List.of(""), Optional.empty());
  }

  public FieldRule withNumbers(NumberStyle style) {
    return new FieldRule(
        name,
        type,
        required,
        nullTokens,
        formats,
        Optional.of(style),
        trim,
        truths,
        otherwise,
        nullIfWrong,
        zone);
  }

  /** The same without what is said of nulls: a value that does not fit becomes null. */
  public FieldRule nullWhereWrong() {
    return new FieldRule(
        name, type, false, List.of(), formats, numbers, trim, truths, Optional.empty(), true, zone);
  }

  /** The same way of reading for another name and type: how a nested value's parts are read. */
  public FieldRule of(String part, Type partType, boolean partRequired) {
    boolean temporal =
        partType.isNested() || partType.hasDays() || partType.kind() == Type.Kind.TIME;
    return new FieldRule(
        part,
        partType,
        partRequired,
        nullTokens,
        temporal ? formats : List.of(),
        partType.isNumeric() || partType.isNested() ? numbers : Optional.empty(),
        trim,
        truths,
        Optional.empty(),
        nullIfWrong,
        temporal ? zone : Optional.empty());
  }
}
