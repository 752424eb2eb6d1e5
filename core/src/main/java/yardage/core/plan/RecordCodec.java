package yardage.core.plan;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.io.ByteArrayOutputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.lang.reflect.Constructor;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.ParameterizedType;
import java.lang.reflect.RecordComponent;
import java.lang.reflect.Type;
import java.lang.reflect.WildcardType;
import java.math.BigDecimal;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Function;
import yardage.core.expr.ExpressionException;

/**
 * Records to bytes and back, by their components: numbers as variable-length integers (7 bits a
 * byte, lowest first, signs folded in), texts as UTF-8 behind their length, a member of a sealed or
 * a registered kind behind its simple name. A decoder makes no class but those that its codec
 * names, and checks every length before it allocates. To JSON for people, one way.
 *
 * <p>Thread-safe.
 */
public final class RecordCodec {
  private static final ClassValue<Shape> SHAPES =
      new ClassValue<>() {
        @Override
        protected Shape computeValue(Class<?> type) {
          return new Shape(type);
        }
      };
  private static final ClassValue<Map<String, Class<?>>> SEALED =
      new ClassValue<>() {
        @Override
        protected Map<String, Class<?>> computeValue(Class<?> of) {
          List<Class<?>> members = new ArrayList<>();
          permitted(of, members);
          return byName(of, members);
        }
      };

  private final Map<Class<?>, Map<String, Class<?>>> kinds;
  private final Map<Class<?>, Leaf<?>> leaves = new HashMap<>();

  /** How a value that is no record is written as text. */
  private record Leaf<T>(Function<T, String> write, Function<String, T> read) {}

  /** A record's components and its canonical constructor. */
  private static final class Shape {
    private final RecordComponent[] components;
    private final Constructor<?> constructor;

    Shape(Class<?> type) {
      components = type.getRecordComponents();
      try {
        constructor =
            type.getDeclaredConstructor(
                Arrays.stream(components).map(RecordComponent::getType).toArray(Class[]::new));
      } catch (NoSuchMethodException e) {
        throw new AssertionError(e);
      }
      constructor.setAccessible(true);
      for (RecordComponent c : components) {
        c.getAccessor().setAccessible(true);
      }
    }

    Object made(Object[] values) {
      try {
        return constructor.newInstance(values);
      } catch (InvocationTargetException e) {
        if (e.getCause() instanceof RuntimeException unfit) {
          throw unfit;
        }
        throw new IllegalArgumentException(e.getCause());
      } catch (InstantiationException | IllegalAccessException e) {
        throw new IllegalStateException(e);
      }
    }
  }

  /**
   * @param open the kinds of each interface that is not sealed
   */
  public RecordCodec(Map<Class<?>, List<Class<?>>> open) {
    kinds = new HashMap<>();
    open.forEach((of, members) -> kinds.put(of, byName(of, members)));
    leaf(BigDecimal.class, BigDecimal::toString, BigDecimal::new);
    leaf(Duration.class, Duration::toString, Duration::parse);
    leaf(LocalDate.class, LocalDate::toString, LocalDate::parse);
    leaf(ZoneId.class, ZoneId::getId, ZoneId::of);
  }

  /** Takes in values of a type by their text; before anything is coded. */
  public <T> RecordCodec leaf(Class<T> type, Function<T, String> write, Function<String, T> read) {
    leaves.put(type, new Leaf<>(write, read));
    return this;
  }

  private static Map<String, Class<?>> byName(Class<?> of, List<Class<?>> members) {
    Map<String, Class<?>> out = new LinkedHashMap<>();
    for (Class<?> member : members) {
      if (out.put(member.getSimpleName(), member) != null) {
        throw new IllegalArgumentException(
            "Two kinds of %s are called %s".formatted(of.getSimpleName(), member.getSimpleName()));
      }
    }
    return out;
  }

  private Map<String, Class<?>> kindsOf(Class<?> of) {
    Map<String, Class<?>> open = kinds.get(of);
    if (open != null) {
      return open;
    }
    if (!of.isSealed()) {
      throw new IllegalStateException("%s has no kinds in this codec".formatted(of.getName()));
    }
    return SEALED.get(of);
  }

  private static void permitted(Class<?> of, List<Class<?>> out) {
    for (Class<?> member : of.getPermittedSubclasses()) {
      if (member.isInterface() && member.isSealed()) {
        permitted(member, out);
      } else {
        out.add(member);
      }
    }
  }

  /** The types that {@code of} is made of, however deep, and that this codec cannot write. */
  public Set<String> cannotWrite(Class<?> of) {
    Set<String> out = new TreeSet<>();
    collect(of, new HashSet<>(), out);
    return out;
  }

  private void collect(Type as, Set<Type> seen, Set<String> out) {
    Class<?> type = rawType(as);
    if (!seen.add(as)
        || leaves.containsKey(type)
        || type.isPrimitive()
        || type.isEnum()
        || type == Object.class
        || type == Instant.class
        || CONSTANTS.contains(type)) {
      return;
    }
    if (type.isRecord()) {
      for (RecordComponent c : SHAPES.get(type).components) {
        collect(c.getGenericType(), seen, out);
      }
    } else if (List.of(Optional.class, List.class, Set.class, Map.class).contains(type)) {
      for (Type argument : ((ParameterizedType) as).getActualTypeArguments()) {
        collect(argument, seen, out);
      }
    } else if (type.isInterface() && (kinds.containsKey(type) || type.isSealed())) {
      kindsOf(type).values().forEach(kind -> collect(kind, seen, out));
    } else if (!List.of(byte[].class, int[].class, boolean[].class).contains(type)) {
      out.add(type.getName());
    }
  }

  /**
   * @param as the type that {@link #decode} will ask for
   */
  public <T> byte[] encode(T value, Class<T> as) {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try {
      new Encoder(new DataOutputStream(bytes)).write(value, as);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    } catch (StackOverflowError e) {
      throw tooDeep();
    }
    return bytes.toByteArray();
  }

  /**
   * @throws IllegalArgumentException when the bytes are not what {@link #encode} made
   */
  public <T> T decode(byte[] bytes, Class<T> as) {
    try {
      ByteBuffer in = ByteBuffer.wrap(bytes);
      T out = as.cast(new Decoder(in).read(as));
      if (in.hasRemaining()) {
        throw new IllegalArgumentException("%d bytes too many".formatted(in.remaining()));
      }
      return out;
    } catch (java.nio.BufferUnderflowException e) {
      throw new IllegalArgumentException("The bytes are cut", e);
    } catch (StackOverflowError e) {
      throw tooDeep();
    }
  }

  private static ExpressionException tooDeep() {
    return new ExpressionException(
        "An expression is nested too deeply to be computed; split it into several steps");
  }

  /** For people: objects with the names of components; a kind stands in {@code kind}. */
  public JsonNode json(Object value) {
    JsonNodeFactory make = JsonNodeFactory.instance;
    if (value instanceof Boolean b) {
      return make.booleanNode(b);
    } else if (value instanceof Integer || value instanceof Long || value instanceof Byte) {
      return make.numberNode(((Number) value).longValue());
    } else if (value instanceof Double d) {
      return make.numberNode(d);
    } else if (value instanceof BigDecimal d) {
      return make.numberNode(d);
    } else if (value instanceof Optional<?> o) {
      return o.isPresent() ? json(o.get()) : make.nullNode();
    } else if (value instanceof byte[] b) {
      return make.binaryNode(b);
    } else if (value instanceof int[] ints) {
      return array(Arrays.stream(ints).boxed().toList());
    } else if (value instanceof boolean[] truths) {
      List<Object> all = new ArrayList<>();
      for (boolean t : truths) {
        all.add(t);
      }
      return array(all);
    } else if (value instanceof Iterable<?> many) {
      return array(many);
    } else if (value instanceof Map<?, ?> map) {
      ObjectNode object = make.objectNode();
      map.forEach((k, v) -> object.set(k.toString(), json(v)));
      return object;
    } else if (value instanceof Record r && !(value instanceof yardage.core.column.Type)) {
      ObjectNode object = make.objectNode().put("kind", r.getClass().getSimpleName());
      for (RecordComponent c : components(r)) {
        object.set(c.getName(), json(component(c, r)));
      }
      return object;
    }
    return make.textNode(value.toString());
  }

  private ArrayNode array(Iterable<?> values) {
    ArrayNode array = JsonNodeFactory.instance.arrayNode();
    values.forEach(v -> array.add(json(v)));
    return array;
  }

  /** The components of a record, ready for {@link #component}. */
  static RecordComponent[] components(Record of) {
    return SHAPES.get(of.getClass()).components;
  }

  /** A record like another, with other components. */
  static Object made(Record like, Object[] values) {
    return SHAPES.get(like.getClass()).made(values);
  }

  /** A component of a record, which is never null. */
  static Object component(RecordComponent component, Object of) {
    try {
      Object value = component.getAccessor().invoke(of);
      if (value == null) {
        throw new IllegalStateException(
            "%s.%s is null".formatted(of.getClass().getName(), component.getName()));
      }
      return value;
    } catch (IllegalAccessException | InvocationTargetException e) {
      throw new IllegalStateException(e);
    }
  }

  private static Class<?> rawType(Type type) {
    if (type instanceof Class<?> c) {
      return c;
    } else if (type instanceof ParameterizedType p) {
      return (Class<?>) p.getRawType();
    } else if (type instanceof WildcardType w) {
      return rawType(w.getUpperBounds()[0]);
    }
    return Object.class;
  }

  private static Type argument(Type type, int at) {
    return type instanceof ParameterizedType p ? p.getActualTypeArguments()[at] : Object.class;
  }

  /** Constants whose class says what they are; the order is part of the format. */
  private static final List<Class<?>> CONSTANTS =
      List.of(
          Boolean.class, Integer.class, Long.class, Double.class, String.class, BigDecimal.class);

  private final class Encoder {
    private final DataOutputStream out;

    Encoder(DataOutputStream out) {
      this.out = out;
    }

    void write(Object value, Type as) throws IOException {
      Class<?> type = rawType(as);
      Leaf<?> leaf = leaves.get(type);
      if (leaf != null) {
        text(written(leaf, value));
      } else if (type == Object.class) {
        int kind = CONSTANTS.indexOf(value.getClass());
        if (kind < 0) {
          throw new IllegalStateException("%s is no constant".formatted(value.getClass()));
        }
        out.writeByte(kind);
        write(value, value.getClass());
      } else if (type == String.class) {
        text((String) value);
      } else if (type == Instant.class) {
        number(((Instant) value).getEpochSecond());
        number(((Instant) value).getNano());
      } else if (type == boolean.class || type == Boolean.class) {
        out.writeBoolean((Boolean) value);
      } else if (type == double.class || type == Double.class) {
        out.writeDouble((Double) value);
      } else if (type == char.class || type == Character.class) {
        number((Character) value);
      } else if (type.isPrimitive() || Number.class.isAssignableFrom(type)) {
        number(((Number) value).longValue());
      } else if (type.isEnum()) {
        number(((Enum<?>) value).ordinal());
      } else if (type == byte[].class) {
        number(((byte[]) value).length);
        out.write((byte[]) value);
      } else if (type == int[].class) {
        number(((int[]) value).length);
        for (int i : (int[]) value) {
          number(i);
        }
      } else if (type == boolean[].class) {
        number(((boolean[]) value).length);
        for (boolean b : (boolean[]) value) {
          out.writeBoolean(b);
        }
      } else if (type == Optional.class) {
        Optional<?> held = (Optional<?>) value;
        out.writeBoolean(held.isPresent());
        if (held.isPresent()) {
          write(held.get(), argument(as, 0));
        }
      } else if (type == List.class || type == Set.class) {
        java.util.Collection<?> many = (java.util.Collection<?>) value;
        number(many.size());
        for (Object one : many) {
          write(one, argument(as, 0));
        }
      } else if (type == Map.class) {
        Map<?, ?> map = (Map<?, ?>) value;
        number(map.size());
        for (Map.Entry<?, ?> e : map.entrySet()) {
          write(e.getKey(), argument(as, 0));
          write(e.getValue(), argument(as, 1));
        }
      } else if (type.isRecord()) {
        for (RecordComponent c : SHAPES.get(type).components) {
          write(component(c, value), c.getGenericType());
        }
      } else if (type.isInterface()) {
        Class<?> kind = value instanceof Enum<?> e ? e.getDeclaringClass() : value.getClass();
        if (kindsOf(type).get(kind.getSimpleName()) != kind) {
          throw new IllegalStateException(
              "%s is no kind of %s in this codec".formatted(kind.getName(), type.getName()));
        }
        text(kind.getSimpleName());
        write(value, kind);
      } else {
        throw new IllegalStateException("%s is no data".formatted(type.getName()));
      }
    }

    @SuppressWarnings("unchecked")
    private <T> String written(Leaf<T> leaf, Object value) {
      return leaf.write().apply((T) value);
    }

    private void text(String value) throws IOException {
      byte[] utf8 = value.getBytes(StandardCharsets.UTF_8);
      number(utf8.length);
      out.write(utf8);
    }

    private void number(long value) throws IOException {
      long rest = value << 1 ^ value >> 63;
      while ((rest & ~0x7fL) != 0) {
        out.writeByte((int) (rest & 0x7f | 0x80));
        rest >>>= 7;
      }
      out.writeByte((int) rest);
    }
  }

  private final class Decoder {
    private final ByteBuffer in;

    Decoder(ByteBuffer in) {
      this.in = in;
    }

    Object read(Type as) {
      Class<?> type = rawType(as);
      Leaf<?> leaf = leaves.get(type);
      if (leaf != null) {
        return leaf.read().apply(text());
      } else if (type == Object.class) {
        int kind = in.get();
        if (kind < 0 || kind >= CONSTANTS.size()) {
          throw new IllegalArgumentException("There is no constant of kind %d".formatted(kind));
        }
        return read(CONSTANTS.get(kind));
      } else if (type == String.class) {
        return text();
      } else if (type == Instant.class) {
        return Instant.ofEpochSecond(number(), number());
      } else if (type == boolean.class || type == Boolean.class) {
        return in.get() != 0;
      } else if (type == double.class || type == Double.class) {
        return in.getDouble();
      } else if (type == long.class || type == Long.class) {
        return number();
      } else if (type == int.class || type == Integer.class) {
        return Math.toIntExact(number());
      } else if (type == byte.class || type == Byte.class) {
        return (byte) number();
      } else if (type == char.class || type == Character.class) {
        return (char) number();
      } else if (type.isEnum()) {
        Object[] all = type.getEnumConstants();
        int ordinal = Math.toIntExact(number());
        if (ordinal < 0 || ordinal >= all.length) {
          throw new IllegalArgumentException(
              "%s has no constant %d".formatted(type.getSimpleName(), ordinal));
        }
        return all[ordinal];
      } else if (type == byte[].class) {
        byte[] out = new byte[count()];
        in.get(out);
        return out;
      } else if (type == int[].class) {
        int[] out = new int[count()];
        for (int i = 0; i < out.length; i++) {
          out[i] = Math.toIntExact(number());
        }
        return out;
      } else if (type == boolean[].class) {
        boolean[] out = new boolean[count()];
        for (int i = 0; i < out.length; i++) {
          out[i] = in.get() != 0;
        }
        return out;
      } else if (type == Optional.class) {
        return in.get() != 0 ? Optional.of(read(argument(as, 0))) : Optional.empty();
      } else if (type == List.class || type == Set.class) {
        List<Object> out = new ArrayList<>();
        for (int n = count(); n > 0; n--) {
          out.add(read(argument(as, 0)));
        }
        return type == List.class ? out : new LinkedHashSet<>(out);
      } else if (type == Map.class) {
        Map<Object, Object> out = new LinkedHashMap<>();
        for (int n = count(); n > 0; n--) {
          Object key = read(argument(as, 0));
          out.put(key, read(argument(as, 1)));
        }
        return out;
      } else if (type.isRecord()) {
        return record(SHAPES.get(type));
      }
      String name = text();
      Class<?> kind = kindsOf(type).get(name);
      if (kind == null) {
        throw new IllegalArgumentException(
            "There is no %s of kind [%s]".formatted(type.getSimpleName(), name));
      }
      return read(kind);
    }

    private Object record(Shape shape) {
      Object[] values = new Object[shape.components.length];
      for (int i = 0; i < values.length; i++) {
        values[i] = read(shape.components[i].getGenericType());
      }
      return shape.made(values);
    }

    /** How many follow; each takes a byte at least, but for records without components. */
    private int count() {
      long n = number();
      if (n < 0 || n > in.remaining()) {
        throw new IllegalArgumentException(
            "%d values cannot stand in %d bytes".formatted(n, in.remaining()));
      }
      return (int) n;
    }

    private String text() {
      byte[] utf8 = new byte[count()];
      in.get(utf8);
      return new String(utf8, StandardCharsets.UTF_8);
    }

    private long number() {
      long rest = 0;
      for (int shift = 0; shift < 70; shift += 7) {
        byte b = in.get();
        rest |= (long) (b & 0x7f) << shift;
        if (b >= 0) {
          return rest >>> 1 ^ -(rest & 1);
        }
      }
      throw new IllegalArgumentException("A number has too many bytes");
    }
  }
}
