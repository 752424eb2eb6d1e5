package yardage.service.states;

import io.swagger.v3.oas.annotations.Parameter;
import jakarta.servlet.http.HttpServletRequest;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.stream.Stream;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import org.springframework.web.servlet.HandlerMapping;
import yardage.service.access.AccessService;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.DocumentStore.Kind;
import yardage.service.web.ApiException;

/** Pipelines and feeds: removing, bringing back, pausing, resuming, renaming. */
@RestController
@RequestMapping("/api/v1")
class StateController {
  private static final int MOST_WHY_CHARACTERS = 500;

  private final StateService states;
  private final DocumentStore documents;

  StateController(StateService states, DocumentStore documents) {
    this.states = states;
    this.documents = documents;
  }

  /** What was done, in words. */
  record StateAnswer(String message) {}

  record PauseRequest(Optional<String> why) {}

  record RenameRequest(String name) {}

  /**
   * @param kind pipeline or feed
   */
  record RemovedDocument(String kind, String name, Instant at, String by) {}

  /** The pipelines and feeds that were removed and can be brought back. */
  @GetMapping("/removed")
  List<RemovedDocument> removed() {
    return Stream.of(Kind.PIPELINE, Kind.FEED)
        .flatMap(
            k ->
                documents.removed(k).stream()
                    .map(r -> new RemovedDocument(word(k), r.name(), r.at(), r.by())))
        .toList();
  }

  @DeleteMapping({"/pipelines/{name}", "/feeds/{name}"})
  StateAnswer remove(
      HttpServletRequest request,
      @PathVariable String name,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    Kind k = kind(request);
    String stays = states.remove(k, name, person.name());
    return new StateAnswer(
        "%s [%s] is removed. %s. Bring it back with: yardage %s restore %s"
            .formatted(title(k), name, stays, word(k), name));
  }

  @PostMapping({"/pipelines/{name}/restore", "/feeds/{name}/restore"})
  StateAnswer restore(HttpServletRequest request, @PathVariable String name) {
    states.restore(kind(request), name);
    return new StateAnswer(
        "%s [%s] is there again, as it was".formatted(title(kind(request)), name));
  }

  /** Pauses: a pipeline's schedule rests; a feed's pipelines do not run at all. */
  @PostMapping({"/pipelines/{name}/pause", "/feeds/{name}/pause"})
  StateAnswer pause(
      HttpServletRequest request,
      @PathVariable String name,
      @RequestBody(required = false) PauseRequest body,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    Kind k = kind(request);
    String why = body == null || body.why() == null ? "" : body.why().orElse("").strip();
    if (why.length() > MOST_WHY_CHARACTERS) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "too-long",
          "The reason has %,d characters; at most %,d are kept"
              .formatted(why.length(), MOST_WHY_CHARACTERS),
          "Give the reason in a sentence or two");
    }
    documents.pause(k, name, person.name(), why);
    return new StateAnswer(
        k == Kind.FEED
            ? "Feed [%s] is paused: the pipelines that read it do not run until it is resumed"
                .formatted(name)
            : "Pipeline [%s] is paused: its schedule rests until it is resumed; it can still be run by hand"
                .formatted(name));
  }

  @PostMapping({"/pipelines/{name}/resume", "/feeds/{name}/resume"})
  StateAnswer resume(HttpServletRequest request, @PathVariable String name) {
    documents.resume(kind(request), name);
    return new StateAnswer("%s [%s] is resumed".formatted(title(kind(request)), name));
  }

  /** Gives another name, everywhere where the old one stands. */
  @PostMapping({"/pipelines/{name}/rename", "/feeds/{name}/rename"})
  StateAnswer rename(
      HttpServletRequest request,
      @PathVariable String name,
      @RequestBody RenameRequest body,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    Kind k = kind(request);
    String next = body.name() == null ? "" : body.name();
    List<String> changed = states.rename(k, name, next, person.name());
    return new StateAnswer(
        "%s [%s] is called [%s] now%s"
            .formatted(
                title(k),
                name,
                next,
                changed.isEmpty() ? "" : ", also in " + String.join(", ", changed)));
  }

  /** Which of the two kinds a call is about: the path says it, as it was routed. */
  private static Kind kind(HttpServletRequest request) {
    Object pattern = request.getAttribute(HandlerMapping.BEST_MATCHING_PATTERN_ATTRIBUTE);
    return pattern.toString().startsWith("/api/v1/feeds/") ? Kind.FEED : Kind.PIPELINE;
  }

  private static String word(Kind kind) {
    return kind == Kind.FEED ? "feed" : "pipeline";
  }

  private static String title(Kind kind) {
    return kind == Kind.FEED ? "Feed" : "Pipeline";
  }
}
