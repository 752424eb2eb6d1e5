/**
 * SQL text and expressions to relational algebra, and algebra to physical plans.
 *
 * <p>{@link yardage.core.sql.PlanSession} parses, validates and optimises one query or one pipeline
 * with Apache Calcite; {@link yardage.core.sql.PhysicalPlanner} turns the algebra into {@code exec}
 * nodes and {@link yardage.core.sql.RexTranslator} its expressions into {@code expr} kernels.
 * Relations are offered as {@link yardage.core.sql.Relation}: what is behind one (a table, a feed,
 * a step) is not known here. Mistakes come as {@link yardage.core.sql.SqlProblem} with their place
 * in the text. The dialect is ISO SQL with names matched whatever their case and no implicit
 * conversion between text and other types.
 */
package yardage.core.sql;
