/**
 * What columns hold: how many values, which, and what is odd about them. Rows come a batch at a
 * time and are read once, by all workers. Where rows come from is not known here.
 */
package yardage.core.insight.profile;
