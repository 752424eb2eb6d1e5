/** The lake's tables: where each one's current metadata is, and what there is to see of them. */
package yardage.service.tables;
