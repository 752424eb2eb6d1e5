/**
 * Where the lake is, and where each table's current metadata is: what every other feature needs to
 * know of tables. What there is to see of tables, and to do with them, is in {@code tables}.
 */
package yardage.service.lake;
