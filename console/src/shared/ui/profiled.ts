type Column = { name: string; type: string }

const nameOf = (column: Column) =>
  /^[a-z_][a-z0-9_]*$/i.test(column.name) ? column.name : `"${column.name.replaceAll('"', '""')}"`

/** A value of a profile as SQL writes it. */
function literal(column: Column, value: unknown): string {
  const text = String(value)
  const quoted = `'${text.replaceAll("'", "''")}'`
  if (/^(int|bigint|double|decimal|boolean)/.test(column.type)) {
    return text
  }
  switch (column.type) {
    case 'date':
    case 'time':
    case 'timestamp':
    case 'uuid':
      return `${column.type} ${quoted}`
    case 'binary':
      return `x${quoted}`
    // A plain number would be compared as a double, and no float be the same.
    case 'float':
    case 'timestamp with time zone':
      return `cast(${quoted} as ${column.type})`
    default:
      return quoted
  }
}

/** As a document takes it behind the verb: in quotes where YAML would read something else. */
const step = (condition: string) =>
  `keep: ${/^[\w.' <>=()-]+$/.test(condition) && !condition.startsWith("'") ? condition : JSON.stringify(condition)}`

/** The step that keeps only the rows with a value. */
export function keeping(column: Column, value: unknown): string {
  return step(`${nameOf(column)} = ${literal(column, value)}`)
}

/** The step that drops the rows with a value; rows without one stay. */
export function dropping(column: Column, value: unknown): string {
  const name = nameOf(column)
  return step(`${name} <> ${literal(column, value)} or ${name} is null`)
}
