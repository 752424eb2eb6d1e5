/**
 * Work that somebody waits for: queries, exports, samples, diagnoses, followings. {@link
 * yardage.service.looks.LookDesk} keeps the list, and ends what takes too long, what nobody waits
 * for any more, and all of it when the service stops. Runs are not here: they go on by themselves.
 */
package yardage.service.looks;
