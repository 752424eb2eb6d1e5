/** The first page's numbers, and the health check that anybody may ask. */
package yardage.service.overview;
