package yardage.core.lake;

import java.io.IOException;
import java.util.Optional;
import java.util.UUID;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.apache.iceberg.TableMetadata;
import yardage.core.storage.Address;
import yardage.core.storage.Place;

/**
 * Names of metadata files: a number that rises with each state, so that names sort as states came,
 * and a random part, so that two writers never take the same. {@code 00042-….metadata.json} is how
 * readers of the table format that look into a folder expect them.
 */
final class MetadataNames {
  private static final Pattern NUMBERED = Pattern.compile("(\\d{1,18})-.*\\.metadata\\.json");

  private MetadataNames() {}

  /**
   * Where the next metadata of a table goes.
   *
   * @param before where its current metadata is
   */
  static String next(TableMetadata metadata, Optional<String> before) {
    long number = before.map(MetadataNames::number).orElse(-1L) + 1;
    return "%s/metadata/%05d-%s.metadata.json"
        .formatted(metadata.location(), number, UUID.randomUUID());
  }

  /** The file that tells readers who have nothing but the folder which metadata is current. */
  static Address hintFile(Address metadata) {
    return metadata.sibling("version-hint.text");
  }

  /** Tells readers who look into the folder: the metadata's name, without its end. */
  static void hint(Place metadata) {
    try {
      metadata.at(hintFile(metadata.address())).put(metadata.name().replace(".metadata.json", ""));
    } catch (IOException e) {
      // Readers find the metadata by the catalog too; the next publication tries again.
    }
  }

  /** A metadata file's number; 0 for those of before, which had none. */
  static long number(String location) {
    Matcher m = NUMBERED.matcher(new Address(location).name());
    return m.matches() ? Long.parseLong(m.group(1)) : 0;
  }
}
