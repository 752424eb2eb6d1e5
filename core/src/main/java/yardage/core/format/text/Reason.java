package yardage.core.format.text;

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
  RECORD_TOO_LONG("record-too-long");

  private final String code;

  Reason(String code) {
    this.code = code;
  }

  public String code() {
    return code;
  }
}
