package yardage.core.plan;

/**
 * What is known, when a plan is cut, of the rows of a scan that count: any other comes to nothing
 * further up. Those further up decide all the same, so that nobody has to look at it.
 */
public sealed interface Sought permits ColumnCondition, HeldKeys, FirstInOrder {
  int column();

  /** The same of another column, which has the same values. */
  Sought at(int column);
}
