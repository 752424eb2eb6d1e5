package yardage.service.looks;

import io.swagger.v3.oas.annotations.Parameter;
import java.util.List;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import yardage.service.access.AccessService;

/** The queries that run now, and ending one. */
@RestController
@RequestMapping("/api/v1/queries")
class LookController {
  private final LookDesk desk;

  LookController(LookDesk desk) {
    this.desk = desk;
  }

  @GetMapping
  List<LookDesk.Look> running() {
    return desk.looks();
  }

  @DeleteMapping("/{id}")
  @ResponseStatus(HttpStatus.NO_CONTENT)
  void end(
      @PathVariable long id,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    desk.end(id, person.name());
  }
}
