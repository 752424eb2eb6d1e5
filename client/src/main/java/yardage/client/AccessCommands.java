package yardage.client;

import java.io.BufferedReader;
import java.io.Console;
import java.io.IOException;
import java.io.InputStreamReader;
import java.io.UncheckedIOException;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;

/** Signing in and out, and tokens. */
final class AccessCommands {
  private AccessCommands() {}

  @Command(name = "sign-in", description = "Sign in; keeps a token, not the password.")
  static final class SignIn implements Callable<Integer> {
    @ParentCommand Main main;

    @Option(
        names = "--name",
        description = "Your name (default: ${DEFAULT-VALUE}).",
        defaultValue = "admin")
    String name;

    @Option(
        names = "--password-stdin",
        description =
            "Read the password from the first line of standard input, and a new one from the second if the first is a one-time password.")
    boolean stdin;

    @Override
    public Integer call() {
      Settings settings = new Settings(Settings.load(main.server).server(), Optional.empty());
      Api api = new Api(settings);
      BufferedReader in = new BufferedReader(new InputStreamReader(System.in));
      String password = secret(in, "Password of " + name + ": ");
      Api.Answer session =
          api.send(
              "POST",
              "/session",
              Optional.of(Map.of("name", name, "password", password)),
              Optional.empty());
      if (session.body().path("mustChangePassword").asBoolean()) {
        String next = secret(in, "A new password, 10 characters or more: ");
        api.send(
            "POST",
            "/session/password",
            Optional.of(Map.of("current", password, "next", next)),
            session.cookie());
        System.out.println("The password is changed.");
      }
      String host = Optional.ofNullable(System.getenv("HOSTNAME")).orElse("this machine");
      JsonNode token =
          api.send(
                  "POST",
                  "/tokens",
                  Optional.of(Map.of("name", "client on " + host)),
                  session.cookie())
              .body();
      api.send("DELETE", "/session", Optional.empty(), session.cookie());
      new Settings(settings.server(), Optional.of(token.path("secret").asString())).save();
      System.out.println(
          "Signed in to %s as %s. The token is in %s."
              .formatted(settings.server(), name, Settings.file()));
      return ExitCode.DONE;
    }

    private String secret(BufferedReader in, String prompt) {
      Console console = stdin ? null : System.console();
      if (console != null) {
        return new String(console.readPassword(prompt));
      }
      try {
        String line = in.readLine();
        if (line == null) {
          throw new ClientException(
              ExitCode.WRONG_USAGE,
              "No password on standard input; give it as a line there, or sign in from a terminal");
        }
        return line;
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }
  }

  @Command(
      name = "sign-out",
      description = "Revoke the token that sign-in made, and forget it here.")
  static final class SignOut implements Callable<Integer> {
    @ParentCommand Main main;

    @Override
    public Integer call() {
      Settings settings = Settings.load(main.server);
      if (settings.token().isEmpty()) {
        System.out.println("Nobody was signed in to " + settings.server() + ".");
        return ExitCode.DONE;
      }
      try {
        new Api(settings).delete("/session");
      } catch (ClientException e) {
        // Forgotten all the same, but nobody may believe that it is revoked.
        Settings.forget();
        throw new ClientException(
            e.exitCode(),
            "The token is forgotten here, but the service did not revoke it, so it is good until it ends:\n"
                + e.getMessage());
      }
      Settings.forget();
      System.out.println("Signed out; the token is revoked.");
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "token",
      description = "Tokens for programs.",
      subcommands = {TokenList.class, TokenMake.class, TokenRevoke.class},
      synopsisSubcommandLabel = "COMMAND")
  static final class Token implements Runnable {
    @ParentCommand Main main;

    @Override
    public void run() {
      main.spec.commandLine().getSubcommands().get("token").usage(System.out);
    }
  }

  @Command(name = "list", description = "List your tokens; their secrets are not kept.")
  static final class TokenList implements Callable<Integer> {
    @ParentCommand Token parent;
    @Mixin DocumentCommands.Format output;

    @Override
    public Integer call() {
      new Listing()
          .id("id", "id")
          .text("name", "name")
          .text("may", "scope")
          .time("ends", "expiresAt")
          .time("made", "createdAt")
          .time("last used", "usedAt")
          .print(output.format, parent.main.api().get("/tokens"));
      return ExitCode.DONE;
    }
  }

  @Command(name = "make", description = "Make a token; it is shown this once.")
  static final class TokenMake implements Callable<Integer> {
    @ParentCommand Token parent;

    @Parameters(paramLabel = "NAME", description = "What the token is for.")
    String name;

    @Option(names = "--read", description = "It may only read, and change nothing.")
    boolean read;

    @Option(
        names = "--days",
        paramLabel = "N",
        description =
            "How long it is good for, 1 to 366 (default: what the service is set to, 90).")
    Integer days;

    @Override
    public Integer call() {
      Map<String, Object> body = new LinkedHashMap<>();
      body.put("name", name);
      body.put("scope", read ? "read" : "all");
      if (days != null) {
        body.put("days", days);
      }
      JsonNode made = parent.main.api().post("/tokens", body);
      System.out.println(made.path("secret").asString());
      System.err.println(
          "It ends at %s UTC".formatted(Output.time(made.path("expiresAt").asString())));
      return ExitCode.DONE;
    }
  }

  @Command(name = "revoke", description = "Revoke a token.")
  static final class TokenRevoke implements Callable<Integer> {
    @ParentCommand Token parent;

    @Parameters(paramLabel = "ID")
    long id;

    @Override
    public Integer call() {
      parent.main.api().delete("/tokens/" + id);
      System.out.println("Token %d is revoked.".formatted(id));
      return ExitCode.DONE;
    }
  }
}
