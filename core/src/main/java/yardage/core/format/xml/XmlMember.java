package yardage.core.format.xml;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import yardage.core.column.Type;
import yardage.core.format.shape.Slot;

/** What the contract wants of one element: its text or parts for columns, attributes, elements. */
final class XmlMember {
  final String path;
  private final String local;
  private final Optional<String> uri;
  final List<Slot> targets = new ArrayList<>();
  final List<Attribute> attributes = new ArrayList<>();
  final List<XmlMember> members = new ArrayList<>();
  private int hint;

  /** The column that takes the element's parts, or null. */
  Slot nested;

  /** Whether the element may be there several times. */
  boolean repeats;

  long seenInRecord = -1;

  /** An attribute that goes to a column. */
  record Attribute(String local, Optional<String> uri, Slot slot) {}

  XmlMember(String path, String name, XmlLayout layout) {
    this.path = path;
    this.local = name.substring(name.indexOf(':') + 1).intern();
    this.uri = name.isEmpty() ? Optional.empty() : layout.uri(name);
  }

  /** Adds a column's path below this element. */
  void add(String columnPath, Slot slot, XmlLayout layout) {
    if (columnPath.equals(".")) {
      targets.add(slot);
      nested = nested == null && slot.type().isNested() ? slot : nested;
      repeats |= slot.type().kind() == Type.Kind.LIST;
      return;
    }
    int slash = columnPath.indexOf('/');
    String first = slash < 0 ? columnPath : columnPath.substring(0, slash);
    if (first.startsWith("@")) {
      String name = first.substring(1);
      attributes.add(
          new Attribute(
              name.substring(name.indexOf(':') + 1).intern(),
              name.contains(":") ? layout.uri(name) : Optional.empty(),
              slot));
      return;
    }
    XmlMember member =
        members.stream()
            .filter(m -> m.path.equals(below(first)))
            .findFirst()
            .orElseGet(
                () -> {
                  XmlMember added = new XmlMember(below(first), first, layout);
                  members.add(added);
                  return added;
                });
    member.add(slash < 0 ? "." : columnPath.substring(slash + 1), slot, layout);
  }

  private String below(String name) {
    return path.isEmpty() ? name : path + "/" + name;
  }

  /** Whether some name below has to be in a namespace of its own. */
  boolean asksForNamespaces() {
    return uri.isPresent()
        || attributes.stream().anyMatch(a -> a.uri().isPresent())
        || members.stream().anyMatch(XmlMember::asksForNamespaces);
  }

  /** The element of that name, or null; elements mostly come in the order of the contract. */
  XmlMember find(String localName, String namespace) {
    int n = members.size();
    for (int i = 0; i < n; i++) {
      int at = hint + i < n ? hint + i : hint + i - n;
      XmlMember m = members.get(at);
      if (m.local.equals(localName) && (m.uri.isEmpty() || m.uri.get().equals(namespace))) {
        hint = at + 1 == n ? 0 : at + 1;
        return m;
      }
    }
    return null;
  }
}
