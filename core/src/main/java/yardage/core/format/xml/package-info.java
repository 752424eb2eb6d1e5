/**
 * XML 1.0 with namespaces: a repeating element makes a row.
 *
 * <p>{@link yardage.core.format.xml.XmlFormat} is the way in. {@link
 * yardage.core.format.xml.XmlChunker} finds the row elements by their tags alone and hands them on
 * in chunks that are documents of their own; {@link yardage.core.format.xml.XmlParser} has those
 * read, row by row where they are plain and with a streaming parser otherwise; {@link
 * yardage.core.format.xml.RowElements} puts what is read into slots. A document type may be there
 * but is not followed: no entity is expanded but the five of XML itself, and nothing outside the
 * file is read. {@link yardage.core.format.xml.RowValidator} holds rows against an XSD.
 */
package yardage.core.format.xml;
