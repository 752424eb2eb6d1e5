package yardage.service.shelf;

import io.swagger.v3.oas.annotations.Parameter;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.document.DocumentValue;
import yardage.core.document.Names;
import yardage.core.document.YamlEdit;
import yardage.core.pipeline.edit.StepPaste;
import yardage.service.access.AccessService;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.web.ApiException;

/** Steps worth keeping. */
@RestController
@RequestMapping("/api/v1/shelf")
class ShelfController {
  private static final DocumentStore.Kind KIND = DocumentStore.Kind.SHELF;
  private static final String EMPTY = "pipeline: shelf\nsteps: {}\n";

  private final DocumentStore documents;

  ShelfController(DocumentStore documents) {
    this.documents = documents;
  }

  /**
   * Steps on the shelf.
   *
   * @param text a document with them, which can be pasted as it is
   * @param mine whether nobody else sees them
   */
  record ShelfSteps(
      String name,
      String about,
      List<String> steps,
      boolean mine,
      Instant savedAt,
      String savedBy,
      String text) {}

  /**
   * @param steps as text, as they are copied out of a pipeline
   * @param mine whether nobody else is to see them
   */
  record StepsToKeep(String about, String steps, boolean mine) {}

  @GetMapping
  List<ShelfSteps> list(
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    return documents.latest(KIND).stream()
        .map(ShelfController::view)
        .filter(s -> !s.mine() || s.savedBy().equals(person.name()))
        .toList();
  }

  private static ShelfSteps view(StoredDocument d) {
    Map<?, ?> said = (Map<?, ?>) YamlEdit.said(DocumentValue.parse(d.text()));
    Map<?, ?> steps = (Map<?, ?>) said.get("steps");
    return new ShelfSteps(
        d.name(),
        said.get("about") instanceof String about ? about : "",
        steps.keySet().stream().map(String::valueOf).toList(),
        "me".equals(said.get("for")),
        d.savedAt(),
        d.savedBy(),
        d.text());
  }

  @PutMapping("/{name}")
  ShelfSteps keep(
      @PathVariable String name,
      @RequestBody StepsToKeep body,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    if (!Names.isOfDocument(name)) {
      throw refused(Names.wrongOfDocument(name));
    }
    documents.find(KIND, name).ifPresent(d -> requireOwn(view(d), person));
    try {
      // The steps as they are, comments too, under a head of their own.
      String steps =
          StepPaste.paste(
                  EMPTY, body.steps() == null ? "" : body.steps(), Optional.empty(), Map.of())
              .text()
              .substring(EMPTY.indexOf("steps:"));
      String head =
          YamlEdit.set(
              "snippet: %s\nabout: x\n".formatted(name),
              List.of("about"),
              body.about() == null ? "" : body.about());
      String text = head + (body.mine() ? "for: me\n" : "") + steps;
      return view(documents.save(KIND, name, text, person.name(), Optional.empty()));
    } catch (IllegalArgumentException | DocumentValue.MalformedException e) {
      throw refused(e.getMessage());
    }
  }

  /** What somebody keeps for themselves is not there for others, and its name is theirs. */
  private static void requireOwn(ShelfSteps there, AccessService.Person person) {
    if (there.mine() && !there.savedBy().equals(person.name())) {
      throw refused("The name [%s] is taken".formatted(there.name()));
    }
  }

  @DeleteMapping("/{name}")
  @ResponseStatus(HttpStatus.NO_CONTENT)
  void remove(
      @PathVariable String name,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    ShelfSteps there = view(documents.require(KIND, name));
    if (there.mine() && !there.savedBy().equals(person.name())) {
      throw ApiException.notFound("shelf entry", name);
    }
    documents.remove(KIND, name, person.name());
  }

  private static ApiException refused(String why) {
    return new ApiException(
        HttpStatus.UNPROCESSABLE_ENTITY, "cannot-keep", why, "Change it, then keep it again");
  }
}
