package yardage.core.exec;

/** Places of rows, taken from both ends; memory is reserved before it grows. */
final class PlaceQueue {
  private final WindowMemory memory;
  private long[] ring = new long[16];
  private int head;
  private int size;

  PlaceQueue(WindowMemory memory) {
    this.memory = memory;
  }

  int size() {
    return size;
  }

  /**
   * @param at from the front
   */
  long get(int at) {
    return ring[(head + at) & (ring.length - 1)];
  }

  long last() {
    return get(size - 1);
  }

  void clear() {
    head = 0;
    size = 0;
  }

  void add(long place) {
    if (size == ring.length) {
      memory.add(8L * ring.length);
      long[] wider = new long[2 * ring.length];
      for (int i = 0; i < size; i++) {
        wider[i] = get(i);
      }
      ring = wider;
      head = 0;
    }
    ring[(head + size++) & (ring.length - 1)] = place;
  }

  void removeLast() {
    size--;
  }

  void removeBefore(long place) {
    while (size > 0 && ring[head] < place) {
      head = (head + 1) & (ring.length - 1);
      size--;
    }
  }
}
