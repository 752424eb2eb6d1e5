package yardage.service.web;

import io.swagger.v3.oas.models.info.Info;
import java.io.IOException;
import java.lang.reflect.RecordComponent;
import java.time.Clock;
import java.time.Duration;
import java.util.Arrays;
import java.util.HashMap;
import java.util.HashSet;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import org.springdoc.core.customizers.OpenApiCustomizer;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import org.springframework.core.io.Resource;
import org.springframework.core.io.support.PathMatchingResourcePatternResolver;
import org.springframework.core.type.classreading.CachingMetadataReaderFactory;
import org.springframework.http.CacheControl;
import org.springframework.web.servlet.config.annotation.ResourceHandlerRegistry;
import org.springframework.web.servlet.config.annotation.ViewControllerRegistry;
import org.springframework.web.servlet.config.annotation.WebMvcConfigurer;

/** The clock, and the console's own routes, which all load its one page. */
@Configuration
class WebConfiguration implements WebMvcConfigurer {
  @Override
  public void addViewControllers(ViewControllerRegistry registry) {
    for (String route : ConsoleRoutes.PAGES) {
      registry.addViewController(route).setViewName("forward:/index.html");
    }
  }

  /** Files whose names tell their contents never change. */
  @Override
  public void addResourceHandlers(ResourceHandlerRegistry registry) {
    registry
        .addResourceHandler("/assets/**")
        .addResourceLocations("classpath:/static/assets/")
        .setCacheControl(CacheControl.maxAge(Duration.ofDays(365)).cachePublic().immutable());
  }

  @Bean
  Clock clock() {
    return Clock.systemUTC();
  }

  /**
   * Properties of records are always there unless they are {@link Optional}: the typed client
   * relies on it. The documentation library does not tell the two apart, so the records are asked.
   */
  @Bean
  @SuppressWarnings({"unchecked", "rawtypes"})
  OpenApiCustomizer requiredProperties() {
    Map<String, Set<String>> optionalByRecord = optionalComponents();
    return api -> {
      api.setInfo(
          new Info()
              .title("Yardage")
              .version("1")
              .description("Pipelines from raw files to partitioned tables."));
      api.getComponents()
          .getSchemas()
          .forEach(
              (name, schema) -> {
                lowerCase(schema);
                if (schema.getProperties() != null) {
                  Set<String> optional = optionalByRecord.getOrDefault(name, Set.of());
                  Set<String> properties = schema.getProperties().keySet();
                  schema.setRequired(
                      properties.stream().filter(p -> !optional.contains(p)).toList());
                }
              });
    };
  }

  /** Words are in lower case on the wire; the documentation library has them as Java does. */
  @SuppressWarnings({"unchecked", "rawtypes"})
  private static void lowerCase(io.swagger.v3.oas.models.media.Schema schema) {
    if (schema.getEnum() != null) {
      schema.setEnum(
          schema.getEnum().stream().map(w -> w.toString().toLowerCase(Locale.ROOT)).toList());
    }
    if (schema.getProperties() != null) {
      ((Map<String, io.swagger.v3.oas.models.media.Schema>) schema.getProperties())
          .values()
          .forEach(WebConfiguration::lowerCase);
    }
    if (schema.getItems() != null) {
      lowerCase(schema.getItems());
    }
  }

  private static Map<String, Set<String>> optionalComponents() {
    Map<String, Set<String>> out = new HashMap<>();
    try {
      for (Resource file :
          new PathMatchingResourcePatternResolver().getResources("classpath*:yardage/**/*.class")) {
        var metadata =
            new CachingMetadataReaderFactory().getMetadataReader(file).getClassMetadata();
        if ("java.lang.Record".equals(metadata.getSuperClassName())) {
          Class<?> type = Class.forName(metadata.getClassName());
          Set<String> optional =
              Arrays.stream(type.getRecordComponents())
                  .filter(c -> c.getType() == Optional.class)
                  .map(RecordComponent::getName)
                  .collect(Collectors.toSet());
          out.computeIfAbsent(type.getSimpleName(), n -> new HashSet<>()).addAll(optional);
        }
      }
    } catch (IOException | ClassNotFoundException e) {
      throw new IllegalStateException("The service's own classes cannot be read", e);
    }
    return out;
  }
}
