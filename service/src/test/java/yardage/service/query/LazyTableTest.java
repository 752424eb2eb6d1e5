package yardage.service.query;

import static org.junit.jupiter.api.Assertions.assertDoesNotThrow;

import java.lang.reflect.Method;
import org.junit.jupiter.api.Test;
import yardage.core.sql.Relation;

class LazyTableTest {
  /** What the planner asks a table, it asks the table behind this one; nothing stays unanswered. */
  @Test
  void allThatIsAskedIsPassedOn() {
    for (Method m : Relation.class.getMethods()) {
      assertDoesNotThrow(
          () -> LazyTable.class.getDeclaredMethod(m.getName(), m.getParameterTypes()), m::toString);
    }
  }
}
