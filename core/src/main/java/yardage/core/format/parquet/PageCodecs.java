package yardage.core.format.parquet;

import com.github.luben.zstd.Zstd;
import com.github.luben.zstd.ZstdCompressCtx;
import com.github.luben.zstd.ZstdDecompressCtx;
import com.github.luben.zstd.ZstdException;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.Arrays;
import java.util.zip.GZIPInputStream;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.compression.CompressionCodecFactory;
import org.apache.parquet.hadoop.metadata.CompressionCodecName;
import org.xerial.snappy.Snappy;

/** Page compression: zstd for writing; for reading also what other writers use. */
class PageCodecs implements CompressionCodecFactory {
  /**
   * Level 1 compresses cloth records about threefold at several hundred MB/s a core; higher levels
   * cost more than they save.
   */
  private static final int LEVEL = 1;

  private static final ThreadLocal<ZstdCompressCtx> CONTEXT =
      ThreadLocal.withInitial(() -> new ZstdCompressCtx().setLevel(LEVEL));

  /** Kept, since making one costs as much as a small page. */
  private static final ThreadLocal<ZstdDecompressCtx> INFLATER =
      ThreadLocal.withInitial(ZstdDecompressCtx::new);

  static byte[] compress(byte[] bytes, int length) {
    byte[] out = new byte[(int) Zstd.compressBound(length)];
    int n = CONTEXT.get().compressByteArray(out, 0, out.length, bytes, 0, length);
    return Arrays.copyOf(out, n);
  }

  @Override
  public BytesInputCompressor getCompressor(CompressionCodecName codec) {
    throw new UnsupportedOperationException(
        "Pages are compressed before they reach the file layer");
  }

  @Override
  public BytesInputDecompressor getDecompressor(CompressionCodecName codec) {
    return switch (codec) {
      case ZSTD -> new Inflate(PageCodecs::zstd);
      case SNAPPY -> new Inflate((in, from, length, size) -> snappy(in, from, length));
      case GZIP ->
          new Inflate(
              (in, from, length, size) ->
                  new GZIPInputStream(new ByteArrayInputStream(in, from, length)).readNBytes(size));
      case UNCOMPRESSED ->
          new Inflate((in, from, length, size) -> Arrays.copyOfRange(in, from, from + length));
      default ->
          throw new IllegalArgumentException(
              "Codec [%s] is not read here; use zstd, snappy, gzip or none".formatted(codec));
    };
  }

  /** How many bytes a zstd frame says that it holds; negative when it does not say. */
  static long inflatedSize(byte[] frame) {
    return Zstd.getFrameContentSize(frame);
  }

  static byte[] zstd(byte[] in, int size) throws IOException {
    return zstd(in, 0, in.length, size);
  }

  private static byte[] zstd(byte[] in, int from, int length, int size) throws IOException {
    byte[] out = new byte[size];
    try {
      int n = INFLATER.get().decompressByteArray(out, 0, size, in, from, length);
      return n == size ? out : Arrays.copyOf(out, n);
    } catch (ZstdException e) {
      throw new IOException("A compressed page is damaged: " + e.getMessage(), e);
    }
  }

  private static byte[] snappy(byte[] in, int from, int length) throws IOException {
    byte[] out = new byte[Snappy.uncompressedLength(in, from, length)];
    Snappy.uncompress(in, from, length, out, 0);
    return out;
  }

  /** The bytes of a page, not copied where they fill an array. */
  static byte[] bytes(BytesInput page) throws IOException {
    ByteBuffer buffer = page.toByteBuffer();
    if (buffer.hasArray()
        && buffer.arrayOffset() == 0
        && buffer.position() == 0
        && buffer.remaining() == buffer.array().length) {
      return buffer.array();
    }
    byte[] out = new byte[buffer.remaining()];
    buffer.duplicate().get(out);
    return out;
  }

  @Override
  public void release() {}

  /** Inflates a page to at most {@code size} bytes. */
  private interface Codec {
    byte[] inflate(byte[] in, int from, int length, int size) throws IOException;
  }

  private record Inflate(Codec codec) implements BytesInputDecompressor {
    @Override
    public BytesInput decompress(BytesInput bytes, int size) throws IOException {
      ByteBuffer in = bytes.toByteBuffer();
      byte[] out =
          in.hasArray()
              ? codec.inflate(in.array(), in.arrayOffset() + in.position(), in.remaining(), size)
              : codec.inflate(bytes.toByteArray(), 0, in.remaining(), size);
      if (out.length != size) {
        throw new IOException(
            "A compressed page is damaged: %d bytes where %d were promised"
                .formatted(out.length, size));
      }
      return BytesInput.from(out);
    }

    @Override
    public void decompress(ByteBuffer in, int inSize, ByteBuffer out, int outSize)
        throws IOException {
      byte[] compressed = new byte[inSize];
      in.get(compressed);
      out.put(decompress(BytesInput.from(compressed), outSize).toByteArray());
    }

    @Override
    public void release() {}
  }
}
