/**
 * Why a result is what it is, with evidence: joins that find less than they should. Works on
 * columns alone; who asks, and where rows come from, is in {@code pipeline}.
 */
package yardage.core.insight;
