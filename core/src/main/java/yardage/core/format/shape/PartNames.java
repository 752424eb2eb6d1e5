package yardage.core.format.shape;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.List;
import yardage.core.format.record.Swar;

/**
 * The names of some parts, found by their UTF-8 bytes. Parts mostly come in the order of the names,
 * so the one behind the last found is looked at first. One thread at a time.
 */
public final class PartNames {
  private final byte[][] names;

  /** The first eight bytes of each name. */
  private final long[] heads;

  private int likely;

  public PartNames(List<String> names) {
    this.names = new byte[names.size()][];
    this.heads = new long[names.size()];
    for (int i = 0; i < heads.length; i++) {
      byte[] name = names.get(i).getBytes(StandardCharsets.UTF_8);
      this.names[i] = name;
      this.heads[i] = head(Arrays.copyOf(name, name.length + 8), 0, name.length);
    }
  }

  /** The place of the name {@code b[start, end)}, or -1; eight bytes behind it can be read. */
  public int find(byte[] b, int start, int end) {
    int length = end - start;
    long head = head(b, start, length);
    int n = heads.length;
    int at = likely;
    for (int i = 0; i < n; i++) {
      if (heads[at] == head && names[at].length == length && sameRest(names[at], b, start, end)) {
        likely = at + 1 == n ? 0 : at + 1;
        return at;
      }
      at = at + 1 == n ? 0 : at + 1;
    }
    return -1;
  }

  private static boolean sameRest(byte[] name, byte[] b, int start, int end) {
    return name.length <= 8 || Arrays.equals(name, 8, name.length, b, start + 8, end);
  }

  private static long head(byte[] b, int start, int length) {
    long word = (long) Swar.LONG.get(b, start);
    return word & Swar.first(length);
  }
}
