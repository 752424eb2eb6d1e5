/** Views: queries that are kept under a name, for people and for other queries. */
package yardage.service.views;
