/**
 * One class that must live in the library's package to reach a constructor that the library keeps
 * to itself. Nothing else belongs here.
 */
package org.apache.parquet;
