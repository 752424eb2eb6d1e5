package yardage.core.document;

/** A stretch of a document; lines and columns count from 1, the end is inclusive. */
public record Place(int line, int column, int endLine, int endColumn) {
  public static final Place START = new Place(1, 1, 1, 1);
}
