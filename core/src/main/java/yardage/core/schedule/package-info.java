/**
 * When something is due by itself: patterns of minutes, hours and days in a zone. Firing is the
 * service's work.
 */
package yardage.core.schedule;
