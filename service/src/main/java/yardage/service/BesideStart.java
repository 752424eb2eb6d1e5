package yardage.service;

/** Work beside the start that nobody waits for, and that gives way to all other work. */
public final class BesideStart {
  private BesideStart() {}

  /**
   * @param name of its thread
   */
  public static void run(String name, Runnable work) {
    Thread thread = new Thread(work, name);
    thread.setDaemon(true);
    thread.setPriority(Thread.MIN_PRIORITY);
    thread.start();
  }
}
