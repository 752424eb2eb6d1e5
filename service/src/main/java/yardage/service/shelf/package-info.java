/**
 * The shelf: steps worth keeping, by name, for everybody or for oneself. How they are put into a
 * pipeline is in {@code core.pipeline.edit}.
 */
package yardage.service.shelf;
