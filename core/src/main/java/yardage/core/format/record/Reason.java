package yardage.core.format.record;

/** Why a record did not fit; the codes are stable and documented. */
public enum Reason {
  TOO_FEW_FIELDS("too-few-fields"),
  TOO_MANY_FIELDS("too-many-fields"),
  MISSING_VALUE("missing-value"),
  WRONG_TYPE("wrong-type"),
  OUT_OF_RANGE("out-of-range"),
  BAD_ENCODING("bad-encoding"),
  NUL_CHARACTER("nul-character"),
  UNCLOSED_QUOTE("unclosed-quote"),
  TEXT_AFTER_QUOTE("text-after-quote"),
  RECORD_TOO_LONG("record-too-long"),
  CHECK_FAILED("check-failed"),
  NO_MATCH("no-match"),
  NOT_JSON("not-json"),
  NOT_XML("not-xml"),
  NOT_AS_SCHEMA("not-as-schema"),
  TOO_DEEP("too-deep"),
  REPEATED_FIELD("repeated-field"),
  DAMAGED_FILE("damaged-file");

  private final String code;

  Reason(String code) {
    this.code = code;
  }

  /** The reason of a code. */
  public static Reason of(String code) {
    for (Reason reason : values()) {
      if (reason.code.equals(code)) {
        return reason;
      }
    }
    throw new IllegalArgumentException("There is no reason [%s]".formatted(code));
  }

  public String code() {
    return code;
  }
}
