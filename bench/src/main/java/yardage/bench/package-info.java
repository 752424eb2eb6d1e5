/** Benchmarks: each figure beside a limit and an alternative measured in the same run. */
package yardage.bench;
