package yardage.core.lake;

/** Something that the lake cannot do; the message says what, where and how to mend it. */
public sealed class LakeException extends RuntimeException permits Publication.MovedException {
  public LakeException(String message) {
    super(message);
  }

  public LakeException(String message, Throwable cause) {
    super(message, cause);
  }
}
