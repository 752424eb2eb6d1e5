package yardage.service.runs;

import java.time.Clock;
import java.util.Map;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import tools.jackson.core.type.TypeReference;
import tools.jackson.databind.ObjectMapper;
import yardage.service.YardageProperties;
import yardage.service.documents.DocumentStore;
import yardage.service.feeds.FeedService;
import yardage.service.lake.LakeService;
import yardage.service.memory.EngineMemory;

/** What executions share. */
@Component
class RunExecutions {
  final RunMapper mapper;
  final DocumentStore documents;
  final FeedService feeds;
  final LakeService lake;
  final CheckMapper checks;
  final JoinMapper joins;
  final IntakeLedger ledger;
  final EngineMemory memory;
  final TransactionTemplate transactions;
  final YardageProperties properties;
  final Clock clock;
  private final ObjectMapper json;

  RunExecutions(
      RunMapper mapper,
      DocumentStore documents,
      FeedService feeds,
      LakeService lake,
      CheckMapper checks,
      JoinMapper joins,
      IntakeLedger ledger,
      EngineMemory memory,
      TransactionTemplate transactions,
      YardageProperties properties,
      Clock clock,
      ObjectMapper json) {
    this.mapper = mapper;
    this.documents = documents;
    this.feeds = feeds;
    this.lake = lake;
    this.checks = checks;
    this.joins = joins;
    this.ledger = ledger;
    this.memory = memory;
    this.transactions = transactions;
    this.properties = properties;
    this.clock = clock;
    this.json = json;
  }

  RunExecution create(RunRow row, String owner) {
    return new RunExecution(this, row, owner);
  }

  /** The engine settings that runs claimed now have, kept with them. */
  String settings() {
    return write(
        Map.of(
            "memoryBytes",
            properties.runMemoryBytes(),
            "workers",
            Runtime.getRuntime().availableProcessors(),
            "java",
            Runtime.version().toString()));
  }

  String write(Object value) {
    return json.writeValueAsString(value);
  }

  <T> T read(String text, TypeReference<T> type) {
    return json.readValue(text, type);
  }
}
