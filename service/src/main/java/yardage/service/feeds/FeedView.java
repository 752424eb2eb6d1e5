package yardage.service.feeds;

import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.document.Problem;

/** What the interface says of feeds. */
final class FeedView {
  private FeedView() {}

  /**
   * @param lastIntakeAt when a file of it was taken in last
   * @param history its intakes, oldest first
   */
  record FeedSummary(
      String name,
      String about,
      String format,
      int version,
      Instant savedAt,
      String savedBy,
      Optional<String> paused,
      List<String> files,
      int columns,
      Optional<Instant> lastIntakeAt,
      long records,
      long setAside,
      List<FeedIntake> history) {}

  record FeedIntake(long run, Instant takenAt, long files, long records, long setAside) {}

  record FeedColumn(String name, String type, boolean required, String source) {}

  /**
   * @param fate new, taken, waiting or quarantine
   * @param takenBy the pipelines that took it, with their runs
   */
  record FeedFile(
      String path,
      long sizeBytes,
      Instant modifiedAt,
      String fate,
      List<FileIntake> takenBy,
      Optional<HeldFile> held) {}

  /** Why a file is in quarantine, and who put it there. */
  record HeldFile(String why, String by, Instant at) {}

  record QuarantineRequest(List<String> paths, Optional<String> why) {}

  record ReleaseRequest(List<String> paths) {}

  record FileIntake(String pipeline, long run, long records, long setAside) {}

  record FeedDetail(
      String name,
      String about,
      String format,
      int version,
      Optional<String> paused,
      String text,
      List<FeedColumn> columns,
      List<FeedFile> files,
      Optional<String> filesProblem,
      List<FeedIntake> history,
      List<FeedVersion> versions) {}

  record FeedVersion(int version, String savedBy, Instant savedAt) {}

  record FeedText(String text, Optional<Integer> basedOn) {}

  record FeedCheck(boolean sound, List<Problem> problems) {}

  /**
   * A folder beside the inbox that feeds may read.
   *
   * @param there whether the folder is there now
   */
  record Connection(String name, String folder, boolean there) {}

  record ProposeRequest(List<String> files, Optional<String> connection) {}

  record FeedProposals(List<FeedProposal> proposals, Map<String, String> unknown) {}

  record FeedProposal(
      String name, List<String> files, String text, List<ProposalEvidence> evidence) {}

  record ProposalEvidence(String about, String choice, String because) {}

  /**
   * @param kind new, missing, moved, wider or other
   * @param proposed the type that would take all values
   */
  record FieldChangeView(
      String kind, String column, String field, Optional<String> proposed, String found) {}

  /**
   * @param text the document with the changes that can be accepted
   */
  record FeedChangesView(
      int version, boolean acceptable, List<FieldChangeView> changes, String text) {}

  /**
   * @param accepted what the new version takes in, in words
   * @param left what it does not, because a person must decide
   */
  record AcceptAnswer(int version, String accepted, List<String> left) {}

  record PreviewRequest(String text, Optional<String> file, int rows) {}

  record FeedPreviewView(
      String file,
      List<String> files,
      List<PreviewColumn> columns,
      List<List<Optional<String>>> rows,
      List<PreviewSetAside> setAside,
      String raw,
      List<PreviewStray> strays) {}

  record PreviewColumn(String name, String type) {}

  record PreviewSetAside(long line, String original, List<String> failures) {}

  record PreviewStray(String field, long count, long line, String example) {}

  record AgainRequest(String pipeline, List<String> paths) {}

  record AgainAnswer(int forgotten, String message) {}
}
