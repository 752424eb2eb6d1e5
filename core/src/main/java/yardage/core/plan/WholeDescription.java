package yardage.core.plan;

/**
 * A step that needs all rows before it gives one, as data: a record. What a kind does is said by
 * {@code exec}: a {@code WindowStep} is one itself, others are a {@code BlockStep}, {@code
 * GroupedStep} or {@code PickedStep} too, and {@link Recursion} runs plans and not code of its own.
 */
public interface WholeDescription {}
