package yardage.core.format.json;

import java.util.ArrayList;
import java.util.List;
import yardage.core.format.shape.PartNames;
import yardage.core.format.shape.Slot;

/**
 * What the contract wants of one value in a record: the value itself for a column, its members, its
 * elements at fixed places, or several of these.
 */
final class Member {
  final String path;
  private final String name;
  final List<Slot> targets = new ArrayList<>();
  final List<Member> members = new ArrayList<>();
  private final List<Integer> places = new ArrayList<>();
  private final List<Member> elements = new ArrayList<>();
  private PartNames names;
  long seenInRecord = -1;

  Member(String path, String name) {
    this.path = path;
    this.name = name;
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
      if (m.name.equals(name)) {
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

  /** The names of its members, in their order; asked for once all paths are added. */
  PartNames names() {
    if (names == null) {
      names = new PartNames(members.stream().map(m -> m.name).toList());
    }
    return names;
  }
}
