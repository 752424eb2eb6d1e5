/**
 * Samplers: pages of answers over tables and stars. What a sampler's document says, and the query
 * that each of its blocks asks, narrowed by what was chosen. Queries are planned and run elsewhere;
 * nothing here reads a table.
 */
package yardage.core.sampler;
