/** Feeds and pipelines as versioned texts: every save keeps the one before, with who and when. */
package yardage.service.documents;
