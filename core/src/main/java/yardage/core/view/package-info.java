/**
 * Views: queries with a name. What their documents say; how queries read them is {@link
 * yardage.core.sql.View}.
 */
package yardage.core.view;
