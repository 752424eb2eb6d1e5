/**
 * Plans as data: the nodes of a plan, the stages that it is cut into, and their codecs. A plan is
 * records only, so that a stage can be written down, sent elsewhere and run from its bytes alone:
 * no counter, no open file, no lambda, no identity. Steps are named by their names, sources and
 * tables by descriptions.
 *
 * <p>Not here: how anything is computed ({@code exec}), and which plan is the best one ({@code
 * sql}).
 */
package yardage.core.plan;
