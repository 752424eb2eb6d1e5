/**
 * The service: the REST interface, records in MariaDB, the run queue and the scheduler, around the
 * engine in {@code core}. Laid out by feature; each package holds its controller, its service, its
 * mapper and its records. {@code web} is what all of them share.
 */
package yardage.service;
