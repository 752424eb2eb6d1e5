package yardage.core.exec;

import java.util.List;
import yardage.core.plan.RecordCodec;
import yardage.core.plan.RowCondition;
import yardage.core.plan.ScanDescription;
import yardage.core.plan.TargetDescription;

/** What stages reach beyond memory and scratch, opened from its description. */
public interface Endpoints {
  /**
   * @param counting what rows that count have; others may be given all the same
   * @param tally where what is read is counted
   */
  ScanSource source(ScanDescription what, List<RowCondition> counting, StepTally tally);

  /**
   * @param tally where what is written is counted
   */
  Sink target(TargetDescription what, StepTally tally, ExecutionContext context);

  /** The codec that knows all kinds of descriptions that are opened here. */
  RecordCodec codec();
}
