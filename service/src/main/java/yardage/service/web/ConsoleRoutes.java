package yardage.service.web;

/** The addresses of the console, which are open: they hold no records, and signing in is there. */
public final class ConsoleRoutes {
  /** Addresses that load the console's one page. */
  public static final String[] PAGES = {
    "/",
    "/sign-in",
    "/feeds/**",
    "/pipelines/**",
    "/runs/**",
    "/tables/**",
    "/stars/**",
    "/samplers/**",
    "/map",
    "/query",
    "/account"
  };

  /** The console's files. */
  public static final String[] FILES = {"/index.html", "/icon.svg", "/assets/**"};

  private ConsoleRoutes() {}
}
