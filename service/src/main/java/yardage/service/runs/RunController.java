package yardage.service.runs;

import io.swagger.v3.oas.annotations.Parameter;
import java.io.IOException;
import java.util.List;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledFuture;
import java.util.concurrent.TimeUnit;
import org.springframework.http.MediaType;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import org.springframework.web.servlet.mvc.method.annotation.SseEmitter;
import yardage.service.access.AccessService;

/** Runs: the list, one of them, its log and set-aside rows, cancelling, and watching it live. */
@RestController
@RequestMapping("/api/v1/runs")
class RunController {
  private static final long WATCH_MILLIS = 250;
  private static final long WATCH_LIMIT_MILLIS = 30 * 60 * 1000L;

  private final RunService runs;
  private final ScheduledExecutorService watchers =
      Executors.newScheduledThreadPool(
          2,
          r -> {
            Thread t = new Thread(r, "yardage-watch");
            t.setDaemon(true);
            return t;
          });

  RunController(RunService runs) {
    this.runs = runs;
  }

  @GetMapping
  List<RunView.RunSummary> list(
      @RequestParam(defaultValue = "") String pipeline,
      @RequestParam(defaultValue = "") String state,
      @RequestParam(defaultValue = "9223372036854775807") long before,
      @RequestParam(defaultValue = "50") int limit) {
    return runs.list(pipeline, state, before, Math.max(1, Math.min(limit, 500)));
  }

  @GetMapping("/{id}")
  RunView.RunDetail detail(@PathVariable long id) {
    return runs.find(id);
  }

  @PostMapping("/{id}/cancel")
  RunView.RunSummary cancel(
      @PathVariable long id,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    return runs.cancel(id, person.name());
  }

  @GetMapping("/{id}/log")
  List<RunView.LogEntry> log(@PathVariable long id, @RequestParam(defaultValue = "0") int after) {
    return runs.log(id, Math.max(0, after));
  }

  /**
   * The run's detail as a server-sent event {@code run}, at once and whenever it changes, until the
   * run has ended.
   */
  @GetMapping(path = "/{id}/events", produces = MediaType.TEXT_EVENT_STREAM_VALUE)
  SseEmitter events(@PathVariable long id) {
    runs.find(id);
    SseEmitter emitter = new SseEmitter(WATCH_LIMIT_MILLIS);
    Watch watch = new Watch(id, emitter);
    ScheduledFuture<?> ticking =
        watchers.scheduleWithFixedDelay(watch, 0, WATCH_MILLIS, TimeUnit.MILLISECONDS);
    Runnable stop = () -> ticking.cancel(false);
    emitter.onCompletion(stop);
    emitter.onTimeout(stop);
    emitter.onError(e -> stop.run());
    watch.stop = stop;
    return emitter;
  }

  private final class Watch implements Runnable {
    private final long id;
    private final SseEmitter emitter;
    private RunView.RunDetail last;
    private volatile Runnable stop = () -> {};

    Watch(long id, SseEmitter emitter) {
      this.id = id;
      this.emitter = emitter;
    }

    @Override
    public void run() {
      try {
        RunView.RunDetail now = runs.find(id);
        if (!now.equals(last)) {
          emitter.send(SseEmitter.event().name("run").data(now, MediaType.APPLICATION_JSON));
          last = now;
        }
        if (now.summary().state().isEnd()) {
          stop.run();
          emitter.complete();
        }
      } catch (IOException | IllegalStateException e) {
        stop.run();
      } catch (RuntimeException e) {
        // The database may be away for a moment: the next tick tries again.
        last = null;
      }
    }
  }
}
