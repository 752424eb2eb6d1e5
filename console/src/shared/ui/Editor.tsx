import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete'
import { sql } from '@codemirror/lang-sql'
import { yaml } from '@codemirror/lang-yaml'
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint'
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { tags } from '@lezer/highlight'
import CodeMirror, {
  Decoration,
  EditorView,
  ExternalChange,
  keymap,
  Prec,
  StateEffect,
  StateField,
  type DecorationSet,
} from '@uiw/react-codemirror'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { flushSync } from 'react-dom'
import { OwnTexts } from './ownTexts'

export type Mark = { from: number; to: number; severity: 'error' | 'warning'; message: string; fix?: string }
export type Offer = { label: string; detail: string; kind: string }

const COLOURS = HighlightStyle.define([
  { tag: tags.propertyName, color: 'var(--code)', fontWeight: '600' },
  { tag: [tags.keyword, tags.definition(tags.propertyName)], color: 'var(--code)', fontWeight: '600' },
  { tag: [tags.string, tags.content], color: 'var(--color-base-content)' },
  { tag: tags.number, color: 'var(--running)' },
  { tag: tags.comment, color: 'var(--quiet)', fontStyle: 'italic' },
])

const LOOK = EditorView.theme({
  '&': { fontSize: '12.5px', backgroundColor: 'transparent' },
  '.cm-content': { fontFamily: 'var(--font-mono)', caretColor: 'var(--color-base-content)' },
  '.cm-gutters': { backgroundColor: 'transparent', color: 'var(--quiet)', border: 'none' },
  '.cm-activeLine, .cm-activeLineGutter': {
    backgroundColor: 'color-mix(in srgb, var(--color-base-300) 35%, transparent)',
  },
  '.cm-shown': { boxShadow: 'inset 3px 0 0 var(--merged)' },
  '&.cm-focused': { outline: 'none' },
  '.cm-cursor': { borderLeftColor: 'var(--color-base-content)' },
  '.cm-tooltip': {
    backgroundColor: 'var(--color-base-100)',
    color: 'var(--color-base-content)',
    border: '1px solid var(--color-base-300)',
  },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: 'var(--flow)', color: '#fffdf8' },
})

/** What stays visible above lines that are shown, in pixels. */
const SHOWN_MARGIN = 24

type Lines = { from: number; to: number }

/** The lines that the page shows now, or none. */
const SHOW = StateEffect.define<Lines | undefined>()

/** Marks them, and keeps the marks at their lines while the text changes. */
const SHOWN = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(marks, transaction) {
    let out = marks.map(transaction.changes)
    for (const effect of transaction.effects) {
      if (effect.is(SHOW)) {
        const lines = effect.value
        const all = []
        for (let n = lines?.from ?? 1; lines && n <= lines.to; n++) {
          all.push(Decoration.line({ class: 'cm-shown' }).range(transaction.state.doc.line(n).from))
        }
        out = Decoration.set(all)
      }
    }
    return out
  },
  provide: (field) => EditorView.decorations.from(field),
})

function diagnostics(marks: Mark[], length: number): Diagnostic[] {
  return marks
    .filter((m) => m.to <= length)
    .map((m) => ({
      from: m.from,
      to: m.to,
      severity: m.severity,
      message: m.message,
      actions: m.fix
        ? [
            {
              name: `Put ${m.fix} here`,
              apply: (v, from, to) => v.dispatch({ changes: { from, to, insert: m.fix } }),
            },
          ]
        : [],
    }))
}

type Props = {
  value: string
  onChange: (text: string) => void
  language: 'yaml' | 'sql'
  label: string
  height: string
  /** Undefined while they are not known: what is marked stays marked. */
  marks?: Mark[]
  offer?: (lineBefore: string, line: number) => Offer[]
  /** Lines to show and mark, from 1 on; the last one is among them. */
  shown?: { from: number; to: number }
  /** Without line numbers, for a short text inside a form. */
  plain?: boolean
  /** Told of what is selected; empty when nothing is. */
  onSelection?: (text: string) => void
  /** Told of the line that the caret is in, when that changes by hand. */
  onLine?: (line: number) => void
  /** What Ctrl and Enter do, where the text is something to ask. */
  onAsk?: () => void
}

/** A text editor with problems under the words they are about, and completion. */
export function Editor({
  value,
  onChange,
  language,
  label,
  height,
  marks,
  offer,
  shown,
  plain,
  onSelection,
  onLine,
  onAsk,
}: Props) {
  // The editor's extensions are made once; they look here for what is current.
  const current = useRef({ offer, onSelection, onLine, onAsk })
  useEffect(() => {
    current.current = { offer, onSelection, onLine, onAsk }
  })
  const [view, setView] = useState<EditorView>()
  useEffect(() => {
    if (view && marks) {
      view.dispatch(setDiagnostics(view.state, diagnostics(marks, view.state.doc.length)))
    }
  }, [view, marks])
  const [first] = useState(value)
  const texts = useRef(new OwnTexts(first))
  useEffect(() => {
    if (view && texts.current.isFromElsewhere(value)) {
      view.dispatch({
        changes: { from: 0, to: view.state.doc.length, insert: value },
        annotations: ExternalChange.of(true),
      })
    }
  }, [view, value])
  // Behind the change of the text that the lines are of.
  useEffect(() => {
    if (view) {
      const last = view.state.doc.lines
      const lines = shown && shown.from <= last ? { ...shown, to: Math.min(last, shown.to) } : undefined
      view.dispatch({ effects: SHOW.of(lines) })
      if (lines) {
        // Only the editor scrolls: the page stays where somebody works.
        view.requestMeasure({
          read: (v) => v.lineBlockAt(v.state.doc.line(lines.from).from).top,
          write: (top, v) => {
            v.scrollDOM.scrollTop = top - SHOWN_MARGIN
          },
        })
      }
    }
  }, [view, shown])
  const tell = useCallback(
    (text: string) => {
      texts.current.tell(text)
      // At once: a click that comes right behind must find the text that was typed.
      flushSync(() => onChange(text))
    },
    [onChange],
  )
  const extensions = useMemo(() => {
    const complete = (context: CompletionContext): CompletionResult | null => {
      const line = context.state.doc.lineAt(context.pos)
      const before = line.text.slice(0, context.pos - line.from)
      const word = context.matchBefore(/[\w.-]*/)
      const options = current.current.offer?.(before, line.number) ?? []
      if (
        !word ||
        options.length === 0 ||
        (word.from === word.to && !context.explicit && !/[:[{,]\s*$/.test(before))
      ) {
        return null
      }
      return {
        from: word.from,
        options: options.map((o) => ({ label: o.label, detail: o.detail, type: o.kind })),
      }
    }
    return [
      language === 'yaml' ? yaml() : sql(),
      syntaxHighlighting(COLOURS),
      LOOK,
      EditorView.lineWrapping,
      EditorView.contentAttributes.of({ 'aria-label': label, tabindex: '0' }),
      autocompletion({ override: [complete] }),
      // Before the editor's own, which begins a new line.
      Prec.highest(
        keymap.of([
          {
            key: 'Mod-Enter',
            run: () => {
              current.current.onAsk?.()
              return current.current.onAsk !== undefined
            },
          },
        ]),
      ),
      ...(plain ? [] : [lintGutter()]),
      SHOWN,
      EditorView.updateListener.of((update) => {
        if (update.selectionSet) {
          const { from, to } = update.state.selection.main
          current.current.onSelection?.(update.state.sliceDoc(from, to))
        }
        const line = update.state.doc.lineAt(update.state.selection.main.head).number
        const before = update.startState.doc.lineAt(update.startState.selection.main.head).number
        if (line !== before && update.view.hasFocus) {
          current.current.onLine?.(line)
        }
      }),
    ]
  }, [language, label, plain])
  return (
    <div className="group relative">
      <CodeMirror
        value={first}
        onChange={tell}
        extensions={extensions}
        height={height}
        onCreateEditor={setView}
        theme="none"
        basicSetup={{
          foldGutter: false,
          highlightActiveLine: !plain,
          lineNumbers: !plain,
          autocompletion: false,
        }}
      />
      {/* It lies over what is there: a button that it moved away would not get its click. */}
      <p
        className={`quiet pointer-events-none absolute right-2 z-10 rounded bg-base-100 px-1 text-[0.86rem] opacity-0 group-focus-within:opacity-100 ${plain ? 'top-full' : 'bottom-1'}`}
      >
        {onAsk && 'Ctrl+Enter asks. '}Tab indents here. Escape, then Tab, leaves the editor.
      </p>
    </div>
  )
}
