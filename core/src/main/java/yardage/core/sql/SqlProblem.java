package yardage.core.sql;

import java.util.Optional;

/**
 * What is wrong with a piece of SQL, and where; lines and columns count from 1.
 *
 * @param fix text to put in place of what stands there, where one can be guessed
 */
public record SqlProblem(
    int line, int column, int endLine, int endColumn, String message, Optional<String> fix) {}
