/**
 * What steps do to rows that SQL has no word for: casts that may fail, filling, sampling,
 * unnesting, checks, likeness. Each is a row step or a whole step of the engine; how a document
 * names them is in {@code pipeline}.
 */
package yardage.core.step;
