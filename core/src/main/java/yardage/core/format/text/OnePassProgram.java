package yardage.core.format.text;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.List;
import java.util.Optional;

/**
 * A regular expression that never has a choice: whatever byte comes next, at most one way leads on.
 * A line is matched in one skip its bytes, with one table look-up each. Most patterns of log lines
 * are of this kind ("one-pass" in Cox, "Regular Expression Matching in the Wild", 2010). Immutable.
 */
final class OnePassProgram {
  private static final int MOST_STATES = 2000;
  private static final int MOST_GROUPS = 31;

  /** Where each state goes on each byte; -1 for nowhere. */
  private final short[] next;

  /** Bits of the slots that are set when a state takes a byte; null where no state sets any. */
  private final long[] saves;

  private final boolean[] accepts;
  private final long[] acceptSaves;

  private OnePassProgram(short[] next, long[] saves, boolean[] accepts, long[] acceptSaves) {
    this.next = next;
    this.saves = saves;
    this.accepts = accepts;
    this.acceptSaves = acceptSaves;
  }

  /** The program of an expression; empty when some byte leaves a choice. */
  static Optional<OnePassProgram> compile(PatternSyntax.Parsed parsed) {
    if (parsed.groups() > MOST_GROUPS) {
      return Optional.empty();
    }
    Builder builder = new Builder();
    int end = builder.state();
    int start = builder.add(parsed.node(), end);
    return builder.states.size() > MOST_STATES ? Optional.empty() : builder.program(start, end);
  }

  /**
   * Whether all of {@code b[start, end)} matches; then {@code slots[2 g]} and {@code slots[2 g +
   * 1]} are the borders of group {@code g}, or -1 where it took no part.
   */
  boolean matches(byte[] b, int start, int end, int[] slots) {
    Arrays.fill(slots, -1);
    int state = 0;
    for (int i = start; i < end; i++) {
      int edge = state << 8 | b[i] & 0xff;
      long save = saves[edge];
      while (save != 0) {
        slots[Long.numberOfTrailingZeros(save)] = i;
        save &= save - 1;
      }
      state = next[edge];
      if (state < 0) {
        return false;
      }
    }
    long save = acceptSaves[state];
    while (save != 0) {
      slots[Long.numberOfTrailingZeros(save)] = end;
      save &= save - 1;
    }
    return accepts[state];
  }

  /** A state without bytes passes on to others, best first; one with bytes goes to one other. */
  private static final class State {
    private BitSet bytes;
    private int save = -1;
    private final List<Integer> to = new ArrayList<>();
  }

  private static final class Builder {
    private final List<State> states = new ArrayList<>();

    int state() {
      states.add(new State());
      return states.size() - 1;
    }

    /** States that match {@code node} and then go to {@code then}; gives the first. */
    int add(PatternSyntax.Node node, int then) {
      if (states.size() > MOST_STATES) {
        return then;
      }
      if (node instanceof PatternSyntax.Bytes bytes) {
        int s = state();
        states.get(s).bytes = bytes.any();
        states.get(s).to.add(then);
        return s;
      } else if (node instanceof PatternSyntax.Sequence sequence) {
        int at = then;
        for (int i = sequence.parts().size() - 1; i >= 0; i--) {
          at = add(sequence.parts().get(i), at);
        }
        return at;
      } else if (node instanceof PatternSyntax.Choice choice) {
        int s = state();
        for (PatternSyntax.Node option : choice.options()) {
          states.get(s).to.add(add(option, then));
        }
        return s;
      } else if (node instanceof PatternSyntax.Repeat repeat) {
        int s = state();
        int inside = add(repeat.part(), repeat.many() ? s : then);
        states.get(s).to.addAll(repeat.greedy() ? List.of(inside, then) : List.of(then, inside));
        return s;
      }
      PatternSyntax.Group group = (PatternSyntax.Group) node;
      int close = state();
      states.get(close).save = 2 * group.slot() + 1;
      states.get(close).to.add(then);
      int inside = add(group.inside(), close);
      int open = state();
      states.get(open).save = 2 * group.slot();
      states.get(open).to.add(inside);
      return open;
    }

    Optional<OnePassProgram> program(int start, int end) {
      List<Integer> numbered = new ArrayList<>(List.of(start));
      List<short[]> next = new ArrayList<>();
      List<long[]> saves = new ArrayList<>();
      List<Boolean> accepts = new ArrayList<>();
      List<Long> acceptSaves = new ArrayList<>();
      for (int n = 0; n < numbered.size(); n++) {
        short[] to = new short[256];
        Arrays.fill(to, (short) -1);
        long[] save = new long[256];
        long[] accept = {-1};
        if (!close(numbered.get(n), end, 0, new BitSet(), numbered, to, save, accept)) {
          return Optional.empty();
        }
        next.add(to);
        saves.add(save);
        accepts.add(accept[0] >= 0);
        acceptSaves.add(Math.max(0, accept[0]));
      }
      short[] allNext = new short[next.size() << 8];
      long[] allSaves = new long[next.size() << 8];
      boolean[] allAccepts = new boolean[next.size()];
      long[] allAcceptSaves = new long[next.size()];
      for (int s = 0; s < next.size(); s++) {
        System.arraycopy(next.get(s), 0, allNext, s << 8, 256);
        System.arraycopy(saves.get(s), 0, allSaves, s << 8, 256);
        allAccepts[s] = accepts.get(s);
        allAcceptSaves[s] = acceptSaves.get(s);
      }
      return Optional.of(new OnePassProgram(allNext, allSaves, allAccepts, allAcceptSaves));
    }

    /**
     * Follows the states that pass on without a byte; false when two ways take the same byte, or
     * two ways end.
     */
    private boolean close(
        int at,
        int end,
        long saved,
        BitSet seen,
        List<Integer> numbered,
        short[] to,
        long[] save,
        long[] accept) {
      if (seen.get(at)) {
        return false;
      }
      seen.set(at);
      State s = states.get(at);
      if (at == end) {
        if (accept[0] >= 0) {
          return false;
        }
        accept[0] = saved;
        return true;
      }
      if (s.bytes != null) {
        int target = numbered.indexOf(s.to.get(0));
        if (target < 0) {
          target = numbered.size();
          numbered.add(s.to.get(0));
        }
        for (int b = s.bytes.nextSetBit(0); b >= 0; b = s.bytes.nextSetBit(b + 1)) {
          if (to[b] >= 0) {
            return false;
          }
          to[b] = (short) target;
          save[b] = saved;
        }
        return true;
      }
      long now = s.save < 0 ? saved : saved | 1L << s.save;
      for (int next : s.to) {
        if (!close(next, end, now, seen, numbered, to, save, accept)) {
          return false;
        }
      }
      return true;
    }
  }
}
