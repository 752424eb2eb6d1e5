package yardage.core.column;

import java.util.function.LongConsumer;

/**
 * Who is asked before a worker's text grows large. Expressions make texts of any length out of
 * short ones, batch by batch, where no operator reserves anything; so the builders themselves ask
 * the claim that the engine has put in place for the thread. Small growth is not worth asking for.
 */
public final class TextRoom {
  /** Below this a builder grows without asking; a batch's usual text is smaller. */
  static final int FREE_BYTES = 1 << 20;

  private static final ThreadLocal<LongConsumer> CLAIM = new ThreadLocal<>();

  private TextRoom() {}

  /**
   * Does work on this thread under a claim.
   *
   * @param claim takes the bytes that a builder is about to grow by, and throws when there is no
   *     room for them
   */
  public static void under(LongConsumer claim, Runnable work) {
    LongConsumer before = CLAIM.get();
    CLAIM.set(claim);
    try {
      work.run();
    } finally {
      if (before == null) {
        CLAIM.remove();
      } else {
        CLAIM.set(before);
      }
    }
  }

  /** Does work whose texts are claimed by who keeps them: nobody is asked again. */
  public static void accounted(Runnable work) {
    under(bytes -> {}, work);
  }

  static void ask(long moreBytes) {
    LongConsumer claim = CLAIM.get();
    if (claim != null) {
      claim.accept(moreBytes);
    }
  }
}
