package yardage.service.web;

import io.swagger.v3.oas.models.info.Info;
import java.time.Clock;
import org.springdoc.core.customizers.OpenApiCustomizer;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import org.springframework.web.servlet.config.annotation.ViewControllerRegistry;
import org.springframework.web.servlet.config.annotation.WebMvcConfigurer;

/** The clock, and the console's own routes, which all load its one page. */
@Configuration
class WebConfiguration implements WebMvcConfigurer {
  private static final String[] CONSOLE_ROUTES = {
    "/", "/sign-in", "/feeds/**", "/pipelines/**", "/runs/**", "/tables/**", "/query", "/account"
  };

  @Override
  public void addViewControllers(ViewControllerRegistry registry) {
    for (String route : CONSOLE_ROUTES) {
      registry.addViewController(route).setViewName("forward:/index.html");
    }
  }

  @Bean
  Clock clock() {
    return Clock.systemUTC();
  }

  /**
   * Properties of records are always there unless they are optional: the typed client relies on it.
   */
  @Bean
  @SuppressWarnings({"unchecked", "rawtypes"})
  OpenApiCustomizer requiredProperties() {
    return api -> {
      api.setInfo(
          new Info()
              .title("Yardage")
              .version("1")
              .description("Pipelines from raw files to partitioned tables."));
      api.getComponents()
          .getSchemas()
          .values()
          .forEach(
              schema -> {
                if (schema.getProperties() != null) {
                  java.util.Map<String, io.swagger.v3.oas.models.media.Schema<?>> properties =
                      schema.getProperties();
                  schema.setRequired(
                      properties.entrySet().stream()
                          .filter(
                              e ->
                                  !Boolean.TRUE.equals(e.getValue().getNullable())
                                      && (e.getValue().getTypes() == null
                                          || !e.getValue().getTypes().contains("null")))
                          .map(java.util.Map.Entry::getKey)
                          .sorted()
                          .toList());
                }
              });
    };
  }
}
