/**
 * What all features share at the edge: problems as {@code application/problem+json} (RFC 9457),
 * pages, the clock, the console's routes.
 */
package yardage.service.web;
