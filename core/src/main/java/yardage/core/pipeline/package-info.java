/**
 * Pipelines, from text to published tables. In reading order, each knows only those before it:
 *
 * <ul>
 *   <li>{@code describe}: what steps there are and what fields they have, for people and tools;
 *   <li>{@code read}: what a document says;
 *   <li>{@code compile}: all problems and every step's columns without running, and the steps as
 *       algebra;
 *   <li>{@code run}: plans, runs, balances the books and publishes;
 *   <li>{@code insight}: what people ask about documents and runs.
 * </ul>
 *
 * <p>Who keeps documents, queues runs or draws them is not known here.
 */
package yardage.core.pipeline;
