/**
 * Vectorised expressions: each takes a batch and gives one column of its length.
 *
 * <p>Read {@link yardage.core.expr.Expression}, then the kernels by topic: {@link
 * yardage.core.expr.Arithmetic}, {@link yardage.core.expr.Comparison}, {@link
 * yardage.core.expr.Logic}, {@link yardage.core.expr.CaseWhen}, {@link yardage.core.expr.Cast},
 * {@link yardage.core.expr.Texts}, {@link yardage.core.expr.Dates}. Expressions are stateless and
 * shared between threads. A kernel loops over primitive arrays; text functions work once per
 * dictionary entry. Depends on {@code column} only: how SQL becomes expressions is the business of
 * {@code sql}.
 */
package yardage.core.expr;
