/**
 * Samplers: kept as documents, checked against the tables and stars that they are over, and
 * answered block by block. What a block asks is made in {@code core.sampler}; the queries run where
 * all queries do.
 */
package yardage.service.samplers;
