/** Following a row through the pipelines, and a column through the steps that make it. */
package yardage.service.follow;
