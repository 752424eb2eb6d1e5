package yardage.core.lake;

import java.util.Optional;

/** Something that the lake cannot do; the message says what, where and how to mend it. */
public sealed class LakeException extends RuntimeException permits Publication.MovedException {
  private final transient TableName damaged;

  public LakeException(String message) {
    this(message, null);
  }

  public LakeException(String message, Throwable cause) {
    super(message, cause);
    this.damaged = null;
  }

  private LakeException(TableName damaged, String message, Throwable cause) {
    super(message, cause);
    this.damaged = damaged;
  }

  /** A file of a table is lost, cut or changed. */
  static LakeException damage(TableName table, String message, Throwable cause) {
    return new LakeException(table, message, cause);
  }

  /** The table whose files are damaged, if that is what it is about. */
  public Optional<TableName> damaged() {
    return Optional.ofNullable(damaged);
  }
}
