/** Stars by name: keeping their documents, and holding them against their tables. */
package yardage.service.stars;
