/**
 * Where bytes are kept: objects by address, in a store that lists, reads, writes and removes them.
 * What the bytes mean is not known here. The one store so far is the local disk; scratch files and
 * what only this machine needs (locks, first passwords) are not objects.
 */
package yardage.core.storage;
