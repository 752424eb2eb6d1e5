/**
 * The map: which feeds, pipelines, tables, stars, views and samplers hang together, from their
 * documents.
 */
package yardage.service.map;
