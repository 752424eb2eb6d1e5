/**
 * The command-line client: picocli commands over the REST interface, nothing else. {@link
 * yardage.client.Api} speaks HTTP, {@link yardage.client.Output} prints tables, JSON and CSV,
 * {@link yardage.client.TallyPrinter} prints a run; each {@code …Commands} class holds the commands
 * of one noun. Exit codes are in {@link yardage.client.ExitCode}.
 */
package yardage.client;
