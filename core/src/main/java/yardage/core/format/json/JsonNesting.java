package yardage.core.format.json;

/**
 * Follows strings and brackets byte by byte, to find where one value ends without looking at
 * anything else. A value that is no object, array or string ends before the comma, bracket or blank
 * behind it.
 */
final class JsonNesting {
  private long depth;
  private boolean begun;
  private boolean inString;
  private boolean escaped;
  private boolean ended;
  private boolean before;

  void reset() {
    depth = 0;
    begun = false;
    inString = false;
    escaped = false;
    ended = false;
    before = false;
  }

  boolean ended() {
    return ended;
  }

  /** Whether the byte that showed the end is no part of the value. */
  boolean endedBefore() {
    return before;
  }

  void next(byte c) {
    if (inString) {
      if (escaped) {
        escaped = false;
      } else if (c == '\\') {
        escaped = true;
      } else if (c == '"') {
        inString = false;
        ended = depth == 0;
      }
      return;
    }
    switch (c) {
      case '"' -> {
        inString = true;
        begun = true;
      }
      case '{', '[' -> {
        depth++;
        begun = true;
      }
      case '}', ']' -> {
        if (depth == 0) {
          ended = true;
          before = true;
        } else {
          depth--;
          ended = depth == 0;
        }
      }
      case ' ', '\n', '\r', '\t', ',' -> {
        if (depth == 0 && begun) {
          ended = true;
          before = true;
        }
      }
      default -> begun = true;
    }
  }
}
