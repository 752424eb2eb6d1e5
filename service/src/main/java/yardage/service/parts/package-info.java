/** Parts: steps that several pipelines use, and who uses them. */
package yardage.service.parts;
