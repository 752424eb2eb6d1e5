/** SQL over tables, asked by people: rows as JSON, a limit always. */
package yardage.service.query;
