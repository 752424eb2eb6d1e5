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
  }

  /** JSON values. */
  record Json(JsonLayout layout) implements FeedFormat {
    @Override
    public String word() {
      return "json";
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
    public boolean isNested() {
      return true;
    }
  }
}
