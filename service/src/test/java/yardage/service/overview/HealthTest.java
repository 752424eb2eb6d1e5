package yardage.service.overview;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.mockito.Mockito.mock;

import org.junit.jupiter.api.Test;
import org.springframework.context.support.GenericApplicationContext;
import yardage.service.documents.DocumentStore;
import yardage.service.lake.LakeService;
import yardage.service.runs.RunService;
import yardage.service.web.ApiException;

class HealthTest {
  @Test
  void whoIsToldToStopIsNotUpWhileItStillAnswers() {
    GenericApplicationContext context = new GenericApplicationContext();
    OverviewController overview =
        new OverviewController(
            mock(DocumentStore.class), mock(LakeService.class), mock(RunService.class), context);
    context.refresh();
    assertEquals("up", overview.health().status());

    // Listeners are the first that a context tells of its end, before the server stops.
    ApiException[] said = new ApiException[1];
    context.addApplicationListener(
        event -> said[0] = assertThrows(ApiException.class, overview::health));
    context.close();

    assertEquals("The service was told to stop, and ends", said[0].getMessage());
  }
}
