package yardage.service.feeds;

import java.util.List;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;

/** The folders beside the inbox that feeds may read; the service's settings name them. */
@RestController
@RequestMapping("/api/v1/connections")
class ConnectionController {
  private final FeedService feeds;

  ConnectionController(FeedService feeds) {
    this.feeds = feeds;
  }

  @GetMapping
  List<FeedView.Connection> list() {
    return feeds.connectionList();
  }
}
