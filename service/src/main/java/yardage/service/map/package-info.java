/**
 * The map: which feeds, pipelines, tables, stars and samplers hang together, from their documents.
 */
package yardage.service.map;
