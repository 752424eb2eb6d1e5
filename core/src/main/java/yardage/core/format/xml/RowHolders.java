package yardage.core.format.xml;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** The elements that are open around rows, as far as their tags are plain. One thread at a time. */
final class RowHolders {
  private static final String ATTRIBUTE_TEXT =
      "\\s{1,64}(?:[A-Za-z_][\\w.-]{0,99}:)?([A-Za-z_][\\w.-]{0,99})\\s{0,9}=\\s{0,9}(?:\"([^\"<&\\s]*+(?: [^\"<&\\s]*+)*+)\"|'([^'<&\\s]*+(?: [^'<&\\s]*+)*+)')";

  /** A tag around rows, without references in its attributes; anything else goes the long way. */
  private static final Pattern TAG =
      Pattern.compile(
          "<(?:/[\\w.:-]{1,200}\\s{0,9}|[A-Za-z_][\\w.:-]{0,199}(?<attributes>(?:"
              + ATTRIBUTE_TEXT.replaceAll("\\(\\[", "(?:[")
              + "){0,50})\\s{0,9})>");

  private static final Pattern PREFIX =
      Pattern.compile("[<\\s]((?!xmlns:|xml:)[A-Za-z_][\\w.-]*):[\\w.-]+[\\s=>]");

  private static final Pattern ATTRIBUTE = Pattern.compile(ATTRIBUTE_TEXT);

  private final List<Map<String, String>> attributes = new ArrayList<>();
  private final List<String> tags = new ArrayList<>();
  private String context = "";

  /** Of each element its attributes, outermost first. */
  List<Map<String, String>> attributes() {
    return attributes;
  }

  /** All the tags, which tell one place of rows from another. */
  String context() {
    return context;
  }

  void clear() {
    attributes.clear();
    tags.clear();
    context = "";
  }

  /** Takes the tags between rows; false when they are not plain enough. */
  boolean take(String text) {
    Matcher tag = TAG.matcher(text);
    int at = 0;
    while (tag.find(at) && tag.start() == at) {
      if (tag.group("attributes") == null) {
        if (attributes.isEmpty()) {
          return false;
        }
        attributes.remove(attributes.size() - 1);
        tags.remove(tags.size() - 1);
      } else {
        Map<String, String> found = new TreeMap<>();
        Matcher a = ATTRIBUTE.matcher(tag.group("attributes"));
        while (a.find()) {
          if (!a.group().strip().startsWith("xmlns")
              && found.put(a.group(1), a.group(2) != null ? a.group(2) : a.group(3)) != null) {
            return false;
          }
        }
        attributes.add(found);
        tags.add(tag.group());
        if (!prefixesAreDeclared(tag.group())) {
          return false;
        }
      }
      at = tag.end();
      if (at == text.length()) {
        context = String.join("", tags);
        return true;
      }
    }
    return false;
  }

  private boolean prefixesAreDeclared(String tag) {
    Matcher prefix = PREFIX.matcher(tag);
    while (prefix.find()) {
      String declaration = "xmlns:" + prefix.group(1) + "=";
      if (tags.stream().noneMatch(t -> t.contains(declaration))) {
        return false;
      }
    }
    return true;
  }
}
