package org.apache.parquet;

import java.util.Map;
import org.apache.parquet.bytes.HeapByteBufferAllocator;
import org.apache.parquet.compression.CompressionCodecFactory;
import org.apache.parquet.conf.ParquetConfiguration;
import org.apache.parquet.filter2.compat.FilterCompat;
import org.apache.parquet.format.converter.ParquetMetadataConverter;

/**
 * Read options that do not need the file layer's framework at run time. The public builder always
 * creates a configuration object of that framework; this constructor does not.
 */
public final class PlainReadOptions extends ParquetReadOptions {
  private static final int MAX_ALLOCATION_BYTES = 8 << 20;

  public PlainReadOptions(CompressionCodecFactory codecs) {
    super(
        /* useSignedStringMinMax */ false,
        /* useStatsFilter */ true,
        /* useDictionaryFilter */ true,
        /* useRecordFilter */ false,
        /* useColumnIndexFilter */ true,
        /* usePageChecksumVerification */ true,
        /* useBloomFilter */ true,
        /* useOffHeapDecryptBuffer */ false,
        /* useVectoredIo */ false,
        FilterCompat.NOOP,
        ParquetMetadataConverter.NO_FILTER,
        codecs,
        new HeapByteBufferAllocator(),
        MAX_ALLOCATION_BYTES,
        Map.of(),
        null,
        null,
        (ParquetConfiguration) null);
  }
}
