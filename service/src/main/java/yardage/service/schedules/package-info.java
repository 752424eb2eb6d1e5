/**
 * When pipelines run by themselves: each due time gets one run, however many services look at the
 * clock.
 */
package yardage.service.schedules;
