package yardage.service.access;

import jakarta.servlet.DispatcherType;
import java.util.Arrays;
import java.util.stream.Stream;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import org.springframework.http.HttpMethod;
import org.springframework.security.authentication.AuthenticationManager;
import org.springframework.security.authentication.AuthenticationServiceException;
import org.springframework.security.config.annotation.web.builders.HttpSecurity;
import org.springframework.security.config.annotation.web.configurers.AbstractHttpConfigurer;
import org.springframework.security.config.http.SessionCreationPolicy;
import org.springframework.security.web.SecurityFilterChain;
import org.springframework.security.web.access.intercept.AuthorizationFilter;
import org.springframework.security.web.firewall.HttpFirewall;
import org.springframework.security.web.firewall.RequestRejectedHandler;
import org.springframework.web.servlet.config.annotation.InterceptorRegistry;
import org.springframework.web.servlet.config.annotation.WebMvcConfigurer;
import yardage.service.YardageProperties;
import yardage.service.web.ConsoleRoutes;
import yardage.service.web.Problems;
import yardage.service.web.RequestBodies;
import yardage.service.web.UnknownAddresses;

/**
 * Nothing is open but what is listed here: the console's own files, the health check, and signing
 * in. The list is held against the path that is routed, never against the address as it was
 * written; {@link PlainPaths} refuses addresses that could be read in two ways, and {@link
 * PersonAtHandler} asks once more at the handler itself.
 */
@Configuration
class AccessSecurity implements WebMvcConfigurer {
  private static final String POLICY =
      "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; base-uri 'none'; form-action 'self'; frame-ancestors 'none'";

  @Bean
  SecurityFilterChain doors(HttpSecurity http, AccessService access, YardageProperties properties)
      throws Exception {
    String[] files =
        Stream.of(ConsoleRoutes.PAGES, ConsoleRoutes.FILES)
            .flatMap(Arrays::stream)
            .toArray(String[]::new);
    return http.authorizeHttpRequests(
            a ->
                a.dispatcherTypeMatchers(DispatcherType.ERROR, DispatcherType.ASYNC)
                    .permitAll()
                    .requestMatchers(HttpMethod.GET, files)
                    .permitAll()
                    .requestMatchers(HttpMethod.HEAD, files)
                    .permitAll()
                    .requestMatchers(HttpMethod.GET, "/api/v1/health")
                    .permitAll()
                    .requestMatchers(HttpMethod.POST, "/api/v1/session")
                    .permitAll()
                    .anyRequest()
                    .authenticated())
        .addFilterBefore(new OwnHosts(properties.hosts()), AuthorizationFilter.class)
        .addFilterBefore(new UnknownAddresses(), AuthorizationFilter.class)
        .addFilterBefore(new WhoAsks(access), AuthorizationFilter.class)
        .addFilterBefore(new RequestBodies(), AuthorizationFilter.class)
        .exceptionHandling(
            e ->
                e.authenticationEntryPoint(
                        (request, response, refused) ->
                            Problems.write(
                                response,
                                401,
                                "not-signed-in",
                                WhoAsks.token(request).isPresent()
                                    ? "The token is not known, has ended, or was revoked"
                                    : "Sign in first",
                                "Sign in at /sign-in, or with: yardage sign-in"))
                    .accessDeniedHandler(
                        (request, response, refused) ->
                            Problems.write(
                                response,
                                403,
                                "not-allowed",
                                "You may not do this",
                                "Ask an administrator")))
        .headers(
            h ->
                h.contentSecurityPolicy(c -> c.policyDirectives(POLICY))
                    .referrerPolicy(
                        r ->
                            r.policy(
                                org.springframework.security.web.header.writers
                                    .ReferrerPolicyHeaderWriter.ReferrerPolicy.NO_REFERRER))
                    .cacheControl(c -> c.disable())
                    .addHeaderWriter(
                        (request, response) -> {
                          if (request.getRequestURI().startsWith("/api/")) {
                            response.setHeader("Cache-Control", "no-store");
                          }
                        }))
        .sessionManagement(s -> s.sessionCreationPolicy(SessionCreationPolicy.STATELESS))
        // The cookie is SameSite=Strict, and WhoAsks compares where a change comes from.
        .csrf(AbstractHttpConfigurer::disable)
        .anonymous(a -> a.principal("nobody"))
        .requestCache(AbstractHttpConfigurer::disable)
        .logout(AbstractHttpConfigurer::disable)
        .build();
  }

  /** People are known by {@link WhoAsks} alone: no made-up account of the library's. */
  @Bean
  AuthenticationManager noOtherWay() {
    return attempt -> {
      throw new AuthenticationServiceException("Sign in at /api/v1/session");
    };
  }

  @Bean
  HttpFirewall plainPaths() {
    return new PlainPaths();
  }

  @Bean
  RequestRejectedHandler asProblem() {
    return (request, response, refused) ->
        Problems.write(
            response,
            400,
            "refused",
            "The request's address or head is not allowed",
            "Write the address plainly: no ';', no '//', no '..', and letters and digits as they are; see /api/v1/openapi for the calls");
  }

  @Override
  public void addInterceptors(InterceptorRegistry registry) {
    registry.addInterceptor(new PersonAtHandler());
  }
}
