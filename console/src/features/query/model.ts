const MOST_KEPT = 20

/** The newest first, each once; blanks around a query do not make it another. */
export function remembered(history: string[], sql: string): string[] {
  const text = sql.trim()
  return text === '' ? history : [text, ...history.filter((h) => h !== text)].slice(0, MOST_KEPT)
}

/** The parameters that a query writes as :name, outside quotes and comments, each once. */
export function parametersOf(sql: string): string[] {
  const plain = sql.replace(/'[^']*'|"[^"]*"|--[^\n]*|\/\*[\s\S]*?(\*\/|$)/g, ' ')
  return [...new Set([...plain.matchAll(/:(\p{L}[\p{L}\p{N}_]*)/gu)].flatMap((m) => (m[1] ? [m[1]] : [])))]
}

/** What a query reads from, as it names it, outside quotes and comments; each once. */
export function namedIn(sql: string): string[] {
  const plain = sql.replace(/'[^']*'|--[^\n]*|\/\*[\s\S]*?(\*\/|$)/g, ' ')
  const names = [...plain.matchAll(/\b(?:from|join)\s+([A-Za-z_]\w*\.[A-Za-z_]\w*)/gi)].flatMap((m) =>
    m[1] ? [m[1]] : [],
  )
  return [...new Set(names)]
}

/** Whether a query asks about itself or a table, and not for data: nobody wants its answer as a chart. */
export function asksForData(sql: string): boolean {
  return !/^\s*(explain|describe)\b/i.test(sql)
}
