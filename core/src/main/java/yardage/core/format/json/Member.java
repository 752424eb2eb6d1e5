package yardage.core.format.json;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.format.shape.Slot;

/**
 * What the contract wants of one value in a record: the value itself for a column, its members, its
 * elements at fixed places, or several of these.
 */
final class Member {
  final String path;
  final byte[] name;
  final List<Slot> targets = new ArrayList<>();
  final List<Member> members = new ArrayList<>();
  private final List<Integer> places = new ArrayList<>();
  private final List<Member> elements = new ArrayList<>();
  private int hint;
  long seenInRecord = -1;

  Member(String path, String name) {
    this.path = path;
    this.name = name.getBytes(StandardCharsets.UTF_8);
  }

  /** Adds a column's path: names with dots between them, and {@code [n]} for an element. */
  void add(String columnPath, Slot slot) {
    Member at = this;
    int from = 0;
    while (from < columnPath.length()) {
      if (columnPath.charAt(from) == '[') {
        int end = columnPath.indexOf(']', from);
        at = at.element(Integer.parseInt(columnPath.substring(from + 1, end)));
        from = end + 1;
      } else {
        from += columnPath.charAt(from) == '.' ? 1 : 0;
        int end = from;
        while (end < columnPath.length() && ".[".indexOf(columnPath.charAt(end)) < 0) {
          end++;
        }
        at = at.member(columnPath.substring(from, end));
        from = end;
      }
    }
    at.targets.add(slot);
  }

  private Member member(String name) {
    for (Member m : members) {
      if (Arrays.equals(m.name, name.getBytes(StandardCharsets.UTF_8))) {
        return m;
      }
    }
    Member added = new Member(path.isEmpty() ? name : path + "." + name, name);
    members.add(added);
    return added;
  }

  private Member element(int place) {
    int at = places.indexOf(place);
    if (at < 0) {
      places.add(place);
      elements.add(new Member(path + "[" + place + "]", ""));
      return elements.get(elements.size() - 1);
    }
    return elements.get(at);
  }

  boolean wantsElements() {
    return !elements.isEmpty();
  }

  /** What is wanted of the element at {@code place}, or null. */
  Member elementAt(int place) {
    int at = places.indexOf(place);
    return at < 0 ? null : elements.get(at);
  }

  /** The member of that name, or null; members mostly come in the order of the contract. */
  Member find(byte[] b, int start, int end) {
    int n = members.size();
    for (int i = 0; i < n; i++) {
      int at = hint + i < n ? hint + i : hint + i - n;
      Member m = members.get(at);
      if (m.name.length == end - start && Arrays.equals(m.name, 0, m.name.length, b, start, end)) {
        hint = at + 1 == n ? 0 : at + 1;
        return m;
      }
    }
    return null;
  }
}
