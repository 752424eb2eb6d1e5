package yardage.core.feed.propose;

import java.util.Optional;
import yardage.core.column.Type;

/**
 * A difference between a contract and its newest files.
 *
 * @param column the contract's column, or the name that a new one would get
 * @param field the name in the files
 * @param proposed the type that would take all values, where there is one
 * @param found what was found and where, with examples
 */
public record FieldChange(
    Kind kind, String column, String field, Optional<Type> proposed, String found) {

  /** What changed. */
  public enum Kind {
    /** The files have a field that the contract does not name. */
    NEW,
    /** The files lack a field that the contract names. */
    MISSING,
    /**
     * The fields that both have stand in another order. Where names tell them apart nothing is
     * wrong; where places do, values would land in the wrong columns.
     */
    MOVED,
    /** The field's values no longer fit its type, and a wider type takes them all. */
    WIDER,
    /** The field's values no longer fit its type, and no wider type takes them all. */
    OTHER
  }
}
