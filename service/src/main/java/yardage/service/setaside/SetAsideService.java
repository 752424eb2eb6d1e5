package yardage.service.setaside;

import java.time.Clock;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.function.Predicate;
import java.util.stream.Collectors;
import org.springframework.dao.DuplicateKeyException;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import yardage.core.column.Values;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FeedPreview;
import yardage.core.feed.FileDiscovery;
import yardage.core.feed.Replays;
import yardage.core.feed.SetAsideStore;
import yardage.core.format.record.RejectedRecord;
import yardage.core.storage.Place;
import yardage.service.TextHash;
import yardage.service.YardageProperties;
import yardage.service.feeds.FeedService;
import yardage.service.lake.LakeService;
import yardage.service.runs.RunService;
import yardage.service.runs.RunState;
import yardage.service.web.ApiException;

/** Looks at set-aside rows, corrects them, and gives them back to their feeds. */
@Service
class SetAsideService {
  private final SetAsideMapper mapper;
  private final RunService runs;
  private final FeedService feeds;
  private final LakeService lake;
  private final YardageProperties properties;
  private final ReplayKeeper keeper;
  private final Clock clock;

  SetAsideService(
      SetAsideMapper mapper,
      RunService runs,
      FeedService feeds,
      LakeService lake,
      YardageProperties properties,
      ReplayKeeper keeper,
      Clock clock) {
    this.mapper = mapper;
    this.runs = runs;
    this.feeds = feeds;
    this.lake = lake;
    this.properties = properties;
    this.keeper = keeper;
    this.clock = clock;
  }

  private Place file(long run) {
    return RunService.setAsideFile(properties, run);
  }

  private Map<Long, SetAsideMapper.Fate> fates(long run) {
    Map<Long, SetAsideMapper.Fate> out = new HashMap<>();
    mapper.fates(run).forEach(f -> out.put(f.numberInRun(), f));
    return out;
  }

  private static String state(SetAsideMapper.Fate fate) {
    return fate == null
        ? "open"
        : fate.identity() != null ? "replayed" : fate.corrected() != null ? "corrected" : "open";
  }

  SetAsideView.SetAsidePage page(long run, String reason, String state, long offset, int limit) {
    runs.find(run);
    Map<Long, SetAsideMapper.Fate> fates = fates(run);
    Predicate<SetAsideStore.Row> wanted =
        r -> r.hasReason(reason) && (state.isEmpty() || state(fates.get(r.number())).equals(state));
    SetAsideStore.Page page = SetAsideStore.page(file(run), wanted, offset, limit);
    return new SetAsideView.SetAsidePage(
        page.rows().stream().map(r -> view(r, fates.get(r.number()))).toList(), page.total());
  }

  private static SetAsideView.SetAsideRow view(SetAsideStore.Row row, SetAsideMapper.Fate fate) {
    return new SetAsideView.SetAsideRow(
        row.number(),
        row.feed(),
        row.step(),
        row.file(),
        row.line(),
        row.byteOffset(),
        row.original(),
        SetAsideView.failures(row.failures()),
        state(fate),
        Optional.ofNullable(fate).map(SetAsideMapper.Fate::corrected));
  }

  SetAsideView.SetAsideRow row(long run, long number) {
    return view(find(run, number), fates(run).get(number));
  }

  private SetAsideStore.Row find(long run, long number) {
    runs.find(run);
    return SetAsideStore.row(file(run), number)
        .orElseThrow(
            () -> ApiException.notFound("set-aside row of run " + run, String.valueOf(number)));
  }

  private FeedDefinition feed(String name) {
    if (name.isEmpty()) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "no-record",
          "This row was set aside by a step further on, so it is not a record of a file that could be taken in again",
          "Fix the step or what it reads, then run the pipeline again");
    }
    return feeds.requireNow(name);
  }

  /** What a record comes to under the feed's newest contract. */
  SetAsideView.CorrectionCheck check(long run, long number, String text) {
    SetAsideStore.Row row = find(run, number);
    FeedPreview preview =
        FeedPreview.ofReplay(
            feed(row.feed()),
            FileDiscovery.folder(lake.lake().raw(), feed(row.feed())),
            List.of(line(row, text)));
    boolean fits = preview.setAside().isEmpty() && !preview.rows().isEmpty();
    List<SetAsideView.SetAsideFailure> failures = new ArrayList<>();
    for (RejectedRecord rejected : preview.setAside()) {
      rejected
          .failures()
          .forEach(
              f ->
                  failures.add(
                      new SetAsideView.SetAsideFailure(f.field(), f.reason().code(), f.message())));
    }
    return new SetAsideView.CorrectionCheck(
        fits,
        preview.schema().names(),
        fits
            ? preview.rows().get(0).stream().map(v -> v == null ? "" : Values.text(v)).toList()
            : List.of(),
        failures);
  }

  private Replays.Line line(SetAsideStore.Row row, String text) {
    return Replays.traced(
        lake.lake().inbox(),
        new Replays.Line(
            text, row.before(), row.after(), row.file(), row.line(), row.byteOffset()));
  }

  /** Rows of a run that did not publish come again with their files. */
  private void published(long run) {
    RunState state = runs.find(run).summary().state();
    if (!state.isEnd()) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "run-at-work",
          "Run %d is still running, and its rows get their numbers when it ends".formatted(run),
          "Wait until it has ended: yardage watch %d".formatted(run));
    }
    if (state != RunState.SUCCEEDED) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "not-published",
          "Run %d did not publish, so its files will be read again, with these rows in them"
              .formatted(run),
          "Fix the files or the feed, then run the pipeline again");
    }
  }

  /** Takes back corrections, and replays that no run has taken in yet. */
  SetAsideView.WithdrawAnswer withdraw(long run, SetAsideView.WithdrawRequest request) {
    runs.find(run);
    Set<Long> numbers = new HashSet<>(request.rows().orElse(List.of()));
    List<SetAsideMapper.Fate> fates =
        mapper.fates(run).stream()
            .filter(f -> numbers.isEmpty() || numbers.contains(f.numberInRun()))
            .toList();
    Set<String> replays = new TreeSet<>();
    fates.forEach(f -> Optional.ofNullable(f.replayFile()).ifPresent(replays::add));
    for (String replay : replays) {
      if (mapper.timesTaken(replay) > 0) {
        throw new ApiException(
            HttpStatus.CONFLICT,
            "taken-in",
            "The rows that were replayed in [%s] were taken in by a run already".formatted(replay),
            "Roll the tables back, or correct the rows there");
      }
    }
    long[] counts = new long[2];
    Place inbox = lake.lake().inbox();
    keeper.change(
        replays,
        () -> replays.forEach(r -> Replays.hold(inbox, Replays.group(inbox, r))),
        () -> {
          for (String replay : replays) {
            counts[0] += mapper.withdrawReplay(run, replay);
          }
          for (SetAsideMapper.Fate f : fates) {
            counts[1] += mapper.withdrawCorrection(run, f.numberInRun());
          }
        });
    if (counts[0] + counts[1] == 0) {
      throw new ApiException(
          HttpStatus.NOT_FOUND,
          "nothing-to-withdraw",
          "None of these rows was corrected or replayed",
          "See the rows with: yardage set-aside %d".formatted(run));
    }
    return new SetAsideView.WithdrawAnswer(counts[0], counts[1]);
  }

  SetAsideView.SetAsideRow correct(long run, long number, String text, String by) {
    published(run);
    SetAsideView.CorrectionCheck check = check(run, number, text);
    if (!check.fits()) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "does-not-fit",
          check.failures().isEmpty()
              ? "The text holds no record"
              : "The record does not fit yet: "
                  + check.failures().get(0).field()
                  + (check.failures().get(0).field().isEmpty() ? "" : ": ")
                  + check.failures().get(0).message(),
          "Correct the text, or change the feed");
    }
    if ("replayed".equals(row(run, number).state())) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "replayed-before",
          "Row %d of run %d was replayed and cannot be corrected any more".formatted(number, run),
          "If the replayed row was set aside again, correct it there");
    }
    mapper.correct(run, number, text, by, clock.instant());
    return row(run, number);
  }

  /**
   * Gives rows back to their feed. Rows of a run that did not publish are refused: their files will
   * be read again.
   */
  SetAsideView.ReplayAnswer replay(long run, SetAsideView.ReplayRequest request, String by) {
    published(run);
    Map<Long, SetAsideMapper.Fate> fates = fates(run);
    Set<Long> numbers = new HashSet<>(request.rows().orElse(List.of()));
    String reason = request.reason().orElse("");
    Map<String, List<SetAsideStore.Row>> byFeed = new TreeMap<>();
    long[] before = {0};
    SetAsideStore.each(
        file(run),
        row -> {
          if ((numbers.isEmpty() || numbers.contains(row.number()))
              && row.hasReason(reason)
              && !row.hasReason("damaged-file")
              // Rows of steps are no records; asked for by number, they are refused in words.
              && (!row.feed().isEmpty() || !numbers.isEmpty())) {
            if ("replayed".equals(state(fates.get(row.number())))) {
              before[0]++;
            } else {
              byFeed.computeIfAbsent(row.feed(), f -> new ArrayList<>()).add(row);
            }
          }
          return true;
        });
    if (byFeed.isEmpty() && before[0] == 0) {
      throw new ApiException(
          HttpStatus.NOT_FOUND,
          "not-found",
          "Run %d has set aside no %s"
              .formatted(
                  run,
                  !numbers.isEmpty()
                      ? "row "
                          + numbers.stream().map(String::valueOf).collect(Collectors.joining(", "))
                      : reason.isEmpty()
                          ? "row that can be replayed"
                          : "row with the reason [%s]".formatted(reason)),
          "List the rows to see their numbers and reasons: yardage set-aside %d".formatted(run));
    }
    List<String> files = new ArrayList<>();
    long[] replayed = {0};
    byFeed.forEach(
        (name, rows) -> {
          List<SetAsideStore.Row> fresh = notReplayed(rows);
          before[0] += rows.size() - fresh.size();
          if (!fresh.isEmpty()) {
            files.addAll(replay(run, feed(name), fresh, fates, by));
            replayed[0] += fresh.size();
          }
        });
    String message =
        replayed[0] == 0
            ? "No row was left to replay"
            : "%,d row%s will be taken in by the next run of the pipelines that read the feed"
                .formatted(replayed[0], replayed[0] == 1 ? "" : "s");
    return new SetAsideView.ReplayAnswer(replayed[0], before[0], files, message);
  }

  private List<SetAsideStore.Row> notReplayed(List<SetAsideStore.Row> rows) {
    Set<String> seen =
        new HashSet<>(mapper.replayed(rows.stream().map(SetAsideService::identity).toList()));
    return rows.stream().filter(row -> seen.add(identity(row))).toList();
  }

  private List<String> replay(
      long run,
      FeedDefinition feed,
      List<SetAsideStore.Row> rows,
      Map<Long, SetAsideMapper.Fate> fates,
      String by) {
    List<Replays.Line> lines =
        rows.stream()
            .map(
                r -> {
                  SetAsideMapper.Fate fate = fates.get(r.number());
                  String text =
                      fate != null && fate.corrected() != null ? fate.corrected() : r.original();
                  return line(r, text);
                })
            .toList();
    String name = "run-%d-%d".formatted(run, clock.millis());
    String first = Replays.folderOf(feed.name()) + name;
    List<String> files = new ArrayList<>();
    try {
      keeper.change(
          List.of(first),
          () -> files.addAll(Replays.write(lake.lake().inbox(), feed, name, lines)),
          () ->
              rows.forEach(
                  r -> {
                    mapper.touch(run, r.number(), by, clock.instant());
                    int marked =
                        mapper.replay(run, r.number(), identity(r), first, by, clock.instant());
                    if (marked != 1) {
                      throw new DuplicateKeyException("replayed meanwhile");
                    }
                  }));
      return files;
    } catch (DuplicateKeyException e) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "replayed-before",
          "Some of these rows were replayed by somebody else meanwhile; none was replayed now",
          "Load the rows again, then replay those that are left");
    }
  }

  /** Tells a record apart wherever and however often it is set aside. */
  private static String identity(SetAsideStore.Row row) {
    return TextHash.sha256(
        row.feed() + "\0" + row.file() + "\0" + row.byteOffset() + "\0" + row.original());
  }

  /** Gives rows one by one, for an export. */
  void each(long run, String reason, Predicate<SetAsideStore.Row> more) {
    runs.find(run);
    SetAsideStore.each(file(run), r -> !r.hasReason(reason) || more.test(r));
  }
}
