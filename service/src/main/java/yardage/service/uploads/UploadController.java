package yardage.service.uploads;

import io.swagger.v3.oas.annotations.Parameter;
import jakarta.servlet.http.HttpServletRequest;
import java.io.IOException;
import java.util.Locale;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import yardage.service.access.AccessService;
import yardage.service.web.ApiException;

/**
 * Uploads: begin one, send its bytes in as many parts as it takes, finish it with the file's hash.
 */
@RestController
@RequestMapping("/api/v1/uploads")
class UploadController {
  private final UploadService uploads;

  UploadController(UploadService uploads) {
    this.uploads = uploads;
  }

  /**
   * @param path where the file goes, below the inbox
   * @param ifThere ask (refuse), replace, keep-both or skip
   */
  record UploadRequest(String path, long sizeBytes, Optional<String> ifThere) {}

  record UploadState(String id, long arrived) {}

  record UploadFinish(String sha256) {}

  /**
   * @param path where the file is now; absent when one was there and this one was skipped
   */
  record Uploaded(Optional<String> path) {}

  @PostMapping
  @ResponseStatus(HttpStatus.CREATED)
  UploadState begin(
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person,
      @RequestBody UploadRequest body) {
    String word = body.ifThere().orElse("ask");
    UploadService.IfThere ifThere;
    try {
      ifThere = UploadService.IfThere.valueOf(word.toUpperCase(Locale.ROOT).replace('-', '_'));
    } catch (IllegalArgumentException e) {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "unknown-word",
          "[%s] is not one of ask, replace, keep-both, skip".formatted(word),
          "Use one of them");
    }
    String path = body.path() == null ? "" : body.path();
    return new UploadState(uploads.begin(path, body.sizeBytes(), ifThere, person.name()).id(), 0);
  }

  @GetMapping("/{id}")
  UploadState state(@PathVariable String id) {
    return new UploadState(id, uploads.offset(id));
  }

  /** Takes bytes that belong at an offset, as they come. */
  @PutMapping(path = "/{id}", consumes = "application/octet-stream")
  UploadState append(@PathVariable String id, @RequestParam long offset, HttpServletRequest request)
      throws IOException {
    return new UploadState(id, uploads.append(id, offset, request.getInputStream()));
  }

  @PostMapping("/{id}/finish")
  Uploaded finish(@PathVariable String id, @RequestBody UploadFinish body) {
    return new Uploaded(uploads.finish(id, body.sha256() == null ? "" : body.sha256()));
  }

  @DeleteMapping("/{id}")
  @ResponseStatus(HttpStatus.NO_CONTENT)
  void cancel(@PathVariable String id) {
    uploads.cancel(id);
  }
}
