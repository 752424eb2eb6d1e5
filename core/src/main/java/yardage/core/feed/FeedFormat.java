package yardage.core.feed;

import java.util.Map;
import java.util.Optional;
import yardage.core.format.json.JsonLayout;
import yardage.core.format.text.DelimitedLayout;
import yardage.core.format.text.LinePattern;
import yardage.core.format.text.RecordStart;

/** How a feed's files are written; closed, since a feed names one of them. */
public sealed interface FeedFormat {
  /** The word that feeds use for it. */
  String word();

  /** One answer for each kind of format: a new kind does not compile before everybody has one. */
  interface Visitor<R> {
    R delimited(Delimited format);

    R json(Json format);

    R fixedWidth(FixedWidth format);

    R lines(Lines format);

    R xml(Xml format);

    R parquet(Parquet format);
  }

  <R> R accept(Visitor<R> visitor);

  /** How many lines of a file come before its records and their header. */
  default int skipLines() {
    return 0;
  }

  /** Whether values may have parts, so that columns may be structs, lists and maps. */
  default boolean isNested() {
    return false;
  }

  /** Records of fields with separators between them. */
  record Delimited(DelimitedLayout layout) implements FeedFormat {
    @Override
    public String word() {
      return "text";
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.delimited(this);
    }

    @Override
    public int skipLines() {
      return layout.skipLines();
    }
  }

  /** JSON values. */
  record Json(JsonLayout layout) implements FeedFormat {
    @Override
    public String word() {
      return "json";
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.json(this);
    }

    @Override
    public boolean isNested() {
      return true;
    }
  }

  /** Lines whose fields stand at fixed characters. */
  record FixedWidth(int skipLines, boolean fillShort, boolean cutLong) implements FeedFormat {
    @Override
    public String word() {
      return "fixed";
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.fixedWidth(this);
    }
  }

  /**
   * Lines that a pattern takes apart.
   *
   * @param begins how the first line of a record begins, where records have several lines
   */
  record Lines(LinePattern pattern, int skipLines, Optional<RecordStart> begins)
      implements FeedFormat {
    @Override
    public String word() {
      return "lines";
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.lines(this);
    }
  }

  /**
   * XML elements.
   *
   * @param xsd the schema's path below the inbox
   */
  record Xml(String row, Map<String, String> namespaces, Optional<String> xsd)
      implements FeedFormat {
    public Xml {
      namespaces = Map.copyOf(namespaces);
    }

    @Override
    public String word() {
      return "xml";
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.xml(this);
    }

    @Override
    public boolean isNested() {
      return true;
    }
  }

  /** Parquet files. */
  record Parquet() implements FeedFormat {
    @Override
    public String word() {
      return "parquet";
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.parquet(this);
    }

    @Override
    public boolean isNested() {
      return true;
    }
  }
}
