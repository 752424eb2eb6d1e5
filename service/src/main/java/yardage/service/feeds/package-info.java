/** Feeds: their documents, and which files are in their place. */
package yardage.service.feeds;
