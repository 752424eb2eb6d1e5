/**
 * Single JSON and XML texts as trees of plain values, and as SQL expressions over them: the type a
 * sample has, XML to nested values and back. Texts inside rows only: files are read by {@code
 * format.json} and {@code format.xml}, which are made for speed.
 */
package yardage.core.format.tree;
