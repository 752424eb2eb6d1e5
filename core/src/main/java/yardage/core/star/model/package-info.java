/**
 * A star by name: which tables are its facts and dimensions, how they hang together, and what can
 * be measured. {@link yardage.core.star.model.StarModel} is the document, {@link
 * yardage.core.star.model.StarCheck} holds it against the tables, and {@link
 * yardage.core.star.model.StarSql} lets queries name measures. How the tables are made is not known
 * here: that is what pipelines do.
 */
package yardage.core.star.model;
