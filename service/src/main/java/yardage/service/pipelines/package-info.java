/** Pipelines: their documents, checked on request and on saving. */
package yardage.service.pipelines;
