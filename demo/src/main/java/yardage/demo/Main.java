package yardage.demo;

import java.io.IOException;
import java.nio.file.Path;
import java.util.TreeMap;

/**
 * {@code Main INBOX [--rolls N] [--seed N] [--later-days FOLDER]}: writes the sample files and
 * prints what a right engine finds in them.
 */
public final class Main {
  private Main() {}

  public static void main(String[] args) throws IOException {
    if (args.length == 0) {
      System.err.println("usage: INBOX [--rolls N] [--seed N] [--later-days FOLDER]");
      System.exit(2);
    }
    long rolls = 20_000;
    long seed = 7;
    String laterDays = "";
    for (int i = 1; i + 1 < args.length; i += 2) {
      switch (args[i]) {
        case "--rolls" -> rolls = Long.parseLong(args[i + 1]);
        case "--seed" -> seed = Long.parseLong(args[i + 1]);
        case "--later-days" -> laterDays = args[i + 1];
        default -> {
          System.err.println(
              "unknown option " + args[i] + "; there are --rolls, --seed and --later-days");
          System.exit(2);
        }
      }
    }
    WeavingMills.Expected expected = WeavingMills.write(Path.of(args[0]), rolls, seed);
    if (!laterDays.isEmpty()) {
      WeavingMills.writeLaterDays(Path.of(laterDays), seed);
    }
    new TreeMap<>(expected.counts())
        .forEach((name, n) -> System.out.printf("%-24s %,14d%n", name, n));
  }
}
