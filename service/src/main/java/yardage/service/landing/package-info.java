/** Landing: a feed taken into a raw table one to one, with a pipeline made for it. */
package yardage.service.landing;
