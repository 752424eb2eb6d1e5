package yardage.service.follow;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.pipeline.insight.RowStory;
import yardage.service.query.ShownRows;
import yardage.service.web.ApiException;
import yardage.service.web.OnlyReads;

/** The story of a row, and the lineage of a column. */
@RestController
@RequestMapping("/api/v1/follow")
class FollowController {
  private final FollowService service;

  FollowController(FollowService service) {
    this.service = service;
  }

  /**
   * What to follow: rows of a table by the values of some columns, or a line of a feed's file.
   *
   * @param file as feed files lists it
   */
  record FollowRow(
      Optional<String> table,
      Optional<Map<String, String>> key,
      Optional<String> feed,
      Optional<String> file,
      Optional<Long> line) {}

  /** A step of a story; see {@link RowStory.Chapter}. */
  record ChapterView(
      String pipeline,
      String step,
      String verb,
      String detail,
      Map<String, String> by,
      long in,
      long out,
      List<String> columns,
      List<List<Object>> rows,
      List<List<Object>> left,
      String words,
      List<String> places) {}

  /** Chapters in the order in which they happened, and rows that were set aside on the way. */
  record StoryView(List<ChapterView> chapters, List<String> aside) {}

  @OnlyReads
  @PostMapping("/row")
  StoryView row(@RequestBody FollowRow body) {
    FollowService.Story story;
    if (body.table().isPresent() && body.key().filter(k -> !k.isEmpty()).isPresent()) {
      story = service.back(body.table().get(), body.key().get());
    } else if (body.feed().isPresent() && body.file().isPresent() && body.line().isPresent()) {
      story = service.ahead(body.feed().get(), body.file().get(), body.line().get());
    } else {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "wrong-value",
          "Name a row or a line to follow",
          "Name a table and a key, or a feed, a file and a line");
    }
    return new StoryView(
        story.pipelines().stream()
            .flatMap(s -> s.chapters().stream().map(c -> view(s.pipeline(), c)))
            .toList(),
        story.aside());
  }

  private static ChapterView view(String pipeline, RowStory.Chapter c) {
    return new ChapterView(
        pipeline,
        c.step(),
        c.verb(),
        c.detail(),
        c.by(),
        c.in(),
        c.out(),
        c.columns(),
        json(c.rows()),
        json(c.left()),
        c.words(),
        c.places());
  }

  private static List<List<Object>> json(List<List<Object>> rows) {
    return rows.stream()
        .map(
            r -> {
              List<Object> out = new java.util.ArrayList<>();
              r.forEach(v -> out.add(ShownRows.json(v)));
              return out;
            })
        .toList();
  }

  @GetMapping("/column")
  FollowService.Lineage column(@RequestParam String table, @RequestParam String column) {
    return service.column(table, column);
  }
}
