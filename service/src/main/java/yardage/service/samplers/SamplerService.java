package yardage.service.samplers;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Problem;
import yardage.core.document.YamlEdit;
import yardage.core.lake.TableName;
import yardage.core.sampler.Block;
import yardage.core.sampler.Chosen;
import yardage.core.sampler.SamplerDocument;
import yardage.core.sampler.SamplerSql;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.query.QueryService;
import yardage.service.query.ResultRows;
import yardage.service.web.ApiException;

/** Keeps samplers, checks them, and answers their blocks. */
@Service
public class SamplerService {
  private final DocumentStore documents;
  private final QueryService queries;
  private final Answers answers;

  SamplerService(DocumentStore documents, QueryService queries, Answers answers) {
    this.documents = documents;
    this.queries = queries;
    this.answers = answers;
  }

  /** What a block answers, and what was asked for it. */
  record Answered(SamplerSql.Asked asked, Answers.Answer answer) {}

  /** What a text says and what is wrong with it; its blocks ask their queries, but none is run. */
  SamplerDocument.Parsed check(String text) {
    return check(text, Map.of());
  }

  /**
   * As {@link #check(String)}.
   *
   * @param gone columns that tables are taken not to have
   */
  public SamplerDocument.Parsed check(String text, Map<TableName, Set<String>> gone) {
    SamplerDocument.Parsed parsed = SamplerDocument.parse(text);
    if (parsed.document().isEmpty()) {
      return parsed;
    }
    SamplerDocument document = parsed.document().get();
    List<Problem> problems = new ArrayList<>();
    Map<String, Schema> schemas = new LinkedHashMap<>();
    for (Block block : document.blocks()) {
      if (block.content() instanceof Block.Answer answer) {
        check(document, block, answer.question(), schemas, problems, gone);
      }
    }
    if (problems.isEmpty()) {
      document
          .choices()
          .forEach(
              (name, c) ->
                  known(name, c.column(), "choices." + name, schemas).ifPresent(problems::add));
      document
          .paths()
          .forEach(
              (name, columns) ->
                  columns.forEach(
                      c -> known(name, c, "paths." + name, schemas).ifPresent(problems::add)));
    }
    return new SamplerDocument.Parsed(
        parsed.name(), problems.isEmpty() ? parsed.document() : Optional.empty(), problems);
  }

  private void check(
      SamplerDocument document,
      Block block,
      Block.Question question,
      Map<String, Schema> schemas,
      List<Problem> problems,
      Map<TableName, Set<String>> gone) {
    try {
      Schema columns = columns(question);
      SamplerSql.over(question).ifPresent(o -> schemas.put(o.text(), columns));
      SamplerSql.Asked asked = new SamplerSql(document, Chosen.NOTHING).of(question, columns);
      queries.check(asked.sql(), asked.parameters(), gone);
    } catch (ApiException e) {
      List<String> said = e.problems().stream().map(Problem::message).toList();
      problems.add(
          new Problem(
              Problem.Severity.ERROR,
              "wrong-question",
              block.name(),
              "blocks." + block.name(),
              block.place().place(),
              "Block [%s]: %s"
                  .formatted(
                      block.name(), said.isEmpty() ? e.getMessage() : String.join("; ", said)),
              Optional.empty()));
    }
  }

  private static Optional<Problem> known(
      String name, TextValue column, String field, Map<String, Schema> schemas) {
    if (schemas.isEmpty()
        || schemas.values().stream().anyMatch(s -> s.indexOf(column.text()) >= 0)) {
      return Optional.empty();
    }
    return Optional.of(
        new Problem(
            Problem.Severity.ERROR,
            "unknown-column",
            name,
            field,
            column.place(),
            "Nothing that the page is over has a column [%s]".formatted(column.text()),
            Optional.empty()));
  }

  /** The columns of what a block is over; none for a query of its own. */
  private Schema columns(Block.Question question) {
    return SamplerSql.over(question)
        .map(TextValue::text)
        .map(this::columns)
        .orElseGet(() -> new Schema(List.of()));
  }

  private Schema columns(String over) {
    String sql = "SELECT * FROM " + over + " LIMIT 0";
    ResultRows none =
        answers.to(new SamplerSql.Asked(sql, Map.of(), List.of(), List.of(), 1)).rows();
    return new Schema(
        none.columns().stream()
            .map(c -> new Schema.Field(c.name(), Type.parse(c.type()), true))
            .toList());
  }

  /** A page that is kept or that is written just now. */
  SamplerDocument page(Optional<String> name, Optional<String> text) {
    String own =
        text.orElseGet(() -> documents.require(DocumentStore.Kind.SAMPLER, name.orElse("")).text());
    SamplerDocument.Parsed parsed = SamplerDocument.parse(own);
    return parsed
        .document()
        .orElseThrow(() -> ApiException.invalidDocument(parsed.name(), parsed.problems()));
  }

  Answered answer(SamplerDocument page, String name, Chosen chosen) {
    Block block =
        page.blocks().stream()
            .filter(b -> b.name().equals(name))
            .findFirst()
            .orElseThrow(
                () ->
                    ApiException.notFound(
                        "block", name, page.blocks().stream().map(Block::name).toList()));
    if (!(block.content() instanceof Block.Answer answer)) {
      throw refused("Block [%s] is a text and asks nothing".formatted(name));
    }
    return answered(
        () -> new SamplerSql(page, chosen).of(answer.question(), columns(answer.question())));
  }

  /** What can be chosen of a column, among the rows that the other choices leave. */
  Answered values(SamplerDocument page, String column, Chosen chosen) {
    for (Block block : page.blocks()) {
      if (block.content() instanceof Block.Answer a) {
        Optional<TextValue> over = SamplerSql.over(a.question());
        Schema columns = columns(a.question());
        if (over.isPresent() && columns.indexOf(column) >= 0) {
          return answered(
              () -> new SamplerSql(page, chosen).values(over.get().text(), column, columns));
        }
      }
    }
    throw refused("Nothing that the page is over has a column [%s]".formatted(column));
  }

  private Answered answered(java.util.function.Supplier<SamplerSql.Asked> question) {
    try {
      SamplerSql.Asked asked = question.get();
      return new Answered(asked, answers.to(asked));
    } catch (IllegalArgumentException e) {
      throw refused(e.getMessage());
    }
  }

  private static ApiException refused(String why) {
    return new ApiException(
        HttpStatus.UNPROCESSABLE_ENTITY, "cannot-ask", why, "Choose another value, or none");
  }

  /**
   * Puts a block at the end of a page; where there is no such page yet, one is begun with it.
   *
   * @param block what it is called; where that is taken a number follows
   * @param content its fields
   */
  StoredDocument keep(String name, String block, Map<String, Object> content, String by) {
    Optional<StoredDocument> kept = documents.find(DocumentStore.Kind.SAMPLER, name);
    String text = kept.map(StoredDocument::text).orElse("sampler: %s\n".formatted(name));
    Set<String> taken =
        SamplerDocument.parse(text)
            .document()
            .map(d -> d.blocks().stream().map(Block::name).collect(Collectors.toSet()))
            .orElse(Set.of());
    String free = block;
    for (int n = 2; taken.contains(free); n++) {
      free = block + "_" + n;
    }
    try {
      String with = YamlEdit.set(text, List.of("blocks", free), YamlEdit.plain(content));
      return save(name, with, by, kept.map(StoredDocument::version));
    } catch (IllegalArgumentException e) {
      throw refused(e.getMessage());
    }
  }

  /**
   * @throws ApiException when the text is no sampler, or one of its blocks cannot be asked
   */
  StoredDocument save(String name, String text, String by, Optional<Integer> basedOn) {
    SamplerDocument.Parsed parsed = check(text);
    if (parsed.document().isEmpty()) {
      throw ApiException.invalidDocument(name, parsed.problems());
    }
    ApiException.checkOwnName(parsed.name(), name);
    return documents.save(DocumentStore.Kind.SAMPLER, name, text, by, basedOn);
  }
}
