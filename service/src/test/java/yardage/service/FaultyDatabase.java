package yardage.service;

import com.zaxxer.hikari.HikariDataSource;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.Proxy;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.SQLNonTransientConnectionException;
import java.util.concurrent.atomic.AtomicInteger;
import javax.sql.DataSource;
import org.springframework.beans.factory.config.BeanPostProcessor;

/**
 * Loses the connection to the database at one chosen moment of a request: before a statement,
 * before a commit, or after a commit whose answer never comes.
 */
class FaultyDatabase implements BeanPostProcessor {
  /** Moments left until the fault; none is due at 0. */
  private static final AtomicInteger DUE = new AtomicInteger();

  /** Lets the {@code moment}-th moment from now fail, counted from 1. */
  static void failAt(int moment) {
    DUE.set(moment);
  }

  /**
   * @return whether the fault came; none comes any more
   */
  static boolean came() {
    return DUE.getAndSet(0) == 0;
  }

  @Override
  public Object postProcessAfterInitialization(Object bean, String name) {
    return bean instanceof HikariDataSource pool
        ? Proxy.newProxyInstance(
            getClass().getClassLoader(),
            new Class<?>[] {DataSource.class},
            (p, method, arguments) -> {
              Object out = call(pool, method, arguments);
              return out instanceof Connection c ? proxied(pool, c) : out;
            })
        : bean;
  }

  private static Connection proxied(HikariDataSource pool, Connection real) {
    return (Connection)
        Proxy.newProxyInstance(
            FaultyDatabase.class.getClassLoader(),
            new Class<?>[] {Connection.class},
            (p, method, arguments) -> {
              boolean commit = method.getName().equals("commit");
              if (commit || method.getName().equals("prepareStatement")) {
                moment(pool, real);
              }
              Object out = call(real, method, arguments);
              if (commit) {
                moment(pool, real);
              }
              return out;
            });
  }

  private static void moment(HikariDataSource pool, Connection real) throws SQLException {
    // Only what a request does: the service looks after itself beside it.
    if (Thread.currentThread().getName().startsWith("http-nio")
        && DUE.getAndUpdate(n -> Math.max(0, n - 1)) == 1) {
      real.abort(Runnable::run);
      pool.evictConnection(real);
      throw new SQLNonTransientConnectionException("The connection is lost", "08000");
    }
  }

  private static Object call(Object target, Method method, Object[] arguments) throws Throwable {
    try {
      return method.invoke(target, arguments);
    } catch (InvocationTargetException e) {
      throw e.getCause();
    }
  }
}
