/**
 * The sample scenario: a cooperative of weaving mills, all made up. {@link
 * yardage.demo.WeavingMills} writes its raw files, on purpose imperfect, and counts independently
 * of the engine what a right one must find in them. The feeds and pipelines that go with them are
 * documents under {@code resources/demo}.
 */
package yardage.demo;
