package yardage.core.format.record;

import java.util.List;

/** Decides where the declared fields lie in a file that names its fields. */
@FunctionalInterface
public interface FieldMatch {
  /**
   * @param names as the file has them, blanks around them removed
   * @throws yardage.core.format.FileFormatException when the file cannot be read with these names
   */
  FieldMap match(String file, List<String> names);
}
