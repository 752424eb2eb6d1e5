package yardage.core.pipeline;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Pattern;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/**
 * Columns chosen by name, by pattern or by type, so that a step need not name any.
 *
 * @param names exact names, each of which must be there
 * @param type all columns of this kind
 * @param like all columns whose name fits, with {@code *} for any run of characters
 * @param except names taken out again
 */
record ColumnChoice(
    List<Located> names, Optional<Type> type, Optional<Pattern> like, List<Located> except) {

  /**
   * The ordinals chosen, in the order of the input; names that are not there go into {@code
   * unknown}.
   */
  List<Integer> resolve(Schema schema, List<Located> unknown) {
    List<Integer> out = new ArrayList<>();
    for (Located name : names) {
      int at = schema.indexOf(name.text());
      if (at < 0) {
        unknown.add(name);
      } else if (!out.contains(at)) {
        out.add(at);
      }
    }
    boolean all = names.isEmpty() && type.isEmpty() && like.isEmpty();
    if (all || type.isPresent() || like.isPresent()) {
      for (int i = 0; i < schema.size(); i++) {
        Schema.Field f = schema.field(i);
        if (type.map(t -> t.kind() == f.type().kind()).orElse(true)
            && like.map(p -> p.matcher(f.name()).matches()).orElse(true)
            && !out.contains(i)) {
          out.add(i);
        }
      }
    }
    for (Located name : except) {
      int at = schema.indexOf(name.text());
      if (at < 0) {
        unknown.add(name);
      }
      out.remove((Integer) at);
    }
    return out;
  }

  static Pattern pattern(String glob) {
    StringBuilder regex = new StringBuilder();
    for (char c : glob.toCharArray()) {
      regex.append(c == '*' ? ".*" : Pattern.quote(String.valueOf(c)));
    }
    return Pattern.compile(regex.toString(), Pattern.CASE_INSENSITIVE);
  }
}
