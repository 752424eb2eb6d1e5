package yardage.core.format.parquet;

import com.github.luben.zstd.Zstd;
import com.github.luben.zstd.ZstdCompressCtx;
import java.io.IOException;
import java.nio.ByteBuffer;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.compression.CompressionCodecFactory;
import org.apache.parquet.hadoop.metadata.CompressionCodecName;

/** Page compression: zstd, and none for reading. */
final class ZstdCodecs implements CompressionCodecFactory {
  /**
   * Level 1 compresses cloth records about threefold at several hundred MB/s a core; higher levels
   * cost more than they save.
   */
  private static final int LEVEL = 1;

  private static final ThreadLocal<ZstdCompressCtx> CONTEXT =
      ThreadLocal.withInitial(() -> new ZstdCompressCtx().setLevel(LEVEL));

  static byte[] compress(byte[] bytes, int length) {
    byte[] out = new byte[(int) Zstd.compressBound(length)];
    int n = CONTEXT.get().compressByteArray(out, 0, out.length, bytes, 0, length);
    return java.util.Arrays.copyOf(out, n);
  }

  @Override
  public BytesInputCompressor getCompressor(CompressionCodecName codec) {
    throw new UnsupportedOperationException(
        "Pages are compressed before they reach the file layer");
  }

  @Override
  public BytesInputDecompressor getDecompressor(CompressionCodecName codec) {
    return switch (codec) {
      case ZSTD -> new Inflate();
      case UNCOMPRESSED -> new None();
      default ->
          throw new IllegalArgumentException(
              "Codec [%s] is not read here; use zstd or none".formatted(codec));
    };
  }

  @Override
  public void release() {}

  private static final class Inflate implements BytesInputDecompressor {
    @Override
    public BytesInput decompress(BytesInput bytes, int size) throws IOException {
      byte[] in = bytes.toByteArray();
      byte[] out = new byte[size];
      long n = Zstd.decompressByteArray(out, 0, size, in, 0, in.length);
      if (Zstd.isError(n) || n != size) {
        throw new IOException(
            "A compressed page is damaged: "
                + (Zstd.isError(n)
                    ? Zstd.getErrorName(n)
                    : "%d bytes where %d were promised".formatted(n, size)));
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

  private static final class None implements BytesInputDecompressor {
    @Override
    public BytesInput decompress(BytesInput bytes, int size) {
      return bytes;
    }

    @Override
    public void decompress(ByteBuffer in, int inSize, ByteBuffer out, int outSize) {
      out.put(in);
    }

    @Override
    public void release() {}
  }
}
