/** What there is to see of the lake's tables, and how they are kept in order. */
package yardage.service.tables;
