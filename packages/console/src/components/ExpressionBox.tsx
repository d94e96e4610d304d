import {
  autocompletion,
  completionKeymap,
  type Completion,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { EditorState, Prec } from '@codemirror/state';
import { EditorView, keymap, placeholder } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import type { FunctionView, TypeView } from '@tantamos/contract';
import { quote, type Problem } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { queryClient } from '../app/api';
import type { FieldChoice } from '../records/fields';
import { queries } from '../queries';

interface Props {
  type: TypeView;
  fields: readonly FieldChoice[];
  text: string;
  /** Called with every key. */
  onText: (text: string) => void;
  onEnter?: (text: string) => void;
  /** Ctrl or ⌘ with Enter. */
  onGoOn?: (text: string) => void;
  problems: readonly Problem[];
  /** Where the problems are told, for people who do not see the marks. */
  problemsId?: string;
  /** What is typed here, and an example of it. */
  label: string;
  example: string;
  /** The cursor is put into it when it is drawn. */
  focused?: boolean;
}

/** An expression as text: coloured, completed as it is typed, mistakes marked in place. */
export default function ExpressionBox(props: Props) {
  const { type, fields, text, onText, onEnter, onGoOn, problems, problemsId, label, example } = props;
  const frame = useRef<HTMLDivElement>(null);
  const editor = useRef<EditorView>(null);
  const [typed, setTyped] = useState(text);
  const functions = useQuery(queries.functions());
  const help = useRef<Help>({ fields, functions: [] });
  const heard = useRef({ onText, onEnter, onGoOn });
  useEffect(() => {
    help.current = { fields, functions: functions.data ?? [] };
    heard.current = { onText, onEnter, onGoOn };
  });

  useEffect(() => {
    const changed = (now: string): void => {
      setTyped(now);
      heard.current.onText(now);
    };
    const view = new EditorView({
      parent: frame.current!,
      state: EditorState.create({
        doc: text,
        extensions: extensions({ label, example }, help, heard, changed),
      }),
    });
    editor.current = view;
    if (props.focused) view.focus();
    return () => view.destroy();
    // Made once for a type; what is said elsewhere comes in below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [type.id]);

  useEffect(() => {
    const view = editor.current!;
    const now = view.state.doc.toString();
    if (now !== text) view.dispatch({ changes: { from: 0, to: now.length, insert: text } });
  }, [text]);

  useEffect(() => {
    const view = editor.current!;
    const length = view.state.doc.length;
    const marks = problems.flatMap((p): Diagnostic[] =>
      p.span
        ? [
            {
              from: Math.min(p.span.start, length),
              to: Math.min(Math.max(p.span.end, p.span.start + 1), length),
              severity: 'error',
              message: p.message,
            },
          ]
        : [],
    );
    view.dispatch(setDiagnostics(view.state, marks));
    view.contentDOM.setAttribute('aria-invalid', String(marks.length > 0));
    if (marks.length > 0 && problemsId) view.contentDOM.setAttribute('aria-describedby', problemsId);
    else view.contentDOM.removeAttribute('aria-describedby');
  }, [problems, typed, problemsId]);

  return (
    <div
      ref={frame}
      className="max-h-40 min-w-0 flex-1 overflow-auto rounded border border-line-strong bg-sheet focus-within:outline-2 focus-within:outline-accent"
    />
  );
}

interface Help {
  readonly fields: readonly FieldChoice[];
  readonly functions: readonly FunctionView[];
}

function extensions(
  { label, example }: { readonly label: string; readonly example: string },
  help: { readonly current: Help },
  heard: { readonly current: Pick<Props, 'onEnter' | 'onGoOn'> },
  changed: (text: string) => void,
) {
  const enter = {
    key: 'Enter',
    run: (view: EditorView): boolean => {
      heard.current.onEnter?.(view.state.doc.toString());
      return true;
    },
  };
  const goOn = {
    key: 'Mod-Enter',
    run: (view: EditorView): boolean => {
      heard.current.onGoOn?.(view.state.doc.toString());
      return heard.current.onGoOn !== undefined;
    },
  };
  return [
    // Completion takes Enter first, where its list is open.
    Prec.high(keymap.of([goOn, ...completionKeymap])),
    keymap.of([enter, ...historyKeymap, ...defaultKeymap.filter((k) => k.key !== 'Enter')]),
    keymap.of([{ key: 'Shift-Enter', run: insertLine }]),
    history(),
    language,
    syntaxHighlighting(colours),
    autocompletion({
      override: [(context) => complete(context, help.current)],
      icons: false,
      activateOnTypingDelay: 150,
    }),
    EditorView.lineWrapping,
    placeholder(example),
    EditorView.contentAttributes.of({ 'aria-label': label, spellcheck: 'false' }),
    EditorView.updateListener.of((u) => u.docChanged && changed(u.state.doc.toString())),
    look,
  ];
}

function insertLine(view: EditorView): boolean {
  view.dispatch(view.state.replaceSelection('\n'));
  return true;
}

/** Fields, choices after a comparison, names of records inside a quote, functions. */
async function complete(context: CompletionContext, { fields, functions }: Help): Promise<CompletionResult | null> {
  const inText = context.matchBefore(/([\p{L}_][\p{L}\p{N}_.]*)\s*(?:=|<>|IN\s*\((?:\s*'[^']*'\s*,)*)\s*'?[^']*/iu);
  if (inText) {
    const [, path, rest] = /^([\p{L}_][\p{L}\p{N}_.]*)\s*(?:=|<>|IN\s*\((?:\s*'[^']*'\s*,)*)\s*('?[^']*)$/iu.exec(
      inText.text,
    )!;
    const choice = fields.find((f) => f.path === path);
    if (choice) {
      const options = await valuesOf(choice, rest!.replace(/^'/, ''));
      if (options.length > 0) return { from: inText.to - rest!.length, options, filter: !choice.field.refersTo };
    }
  }
  const word = context.matchBefore(/[\p{L}_][\p{L}\p{N}_.]*/u);
  if (!word && !context.explicit) return null;
  const options: Completion[] = [
    ...fields.map((f) => ({
      label: f.path,
      detail: f.field.kind.replace('_', '/'),
      info: f.field.comment ?? f.label,
      boost: f.path.includes('.') ? 0 : 2,
    })),
    ...functions.map((f) => ({
      label: f.name,
      detail: f.signature.slice(f.name.length),
      info: `${f.doc} For example: ${f.example}`,
      apply: `${f.name}(`,
      boost: -1,
    })),
    ...['AND', 'OR', 'NOT', 'IN', 'BETWEEN', 'LIKE', 'IS NULL', 'IS NOT NULL'].map((label) => ({ label, boost: -2 })),
  ];
  return { from: word?.from ?? context.pos, options, validFor: /^[\p{L}\p{N}_.]*$/u };
}

async function valuesOf({ field }: FieldChoice, typed: string): Promise<Completion[]> {
  if (field.choices) return field.choices.map((c) => ({ label: quote(c.value), detail: c.label }));
  if (field.refersTo === null) return [];
  const found = await queryClient.fetchQuery(queries.lookup(field.refersTo, typed)).catch(() => []);
  const alone = (name: string): boolean => found.filter((f) => f.name === name).length === 1;
  return found.map((f) => ({ label: alone(f.name) ? quote(f.name) : f.key, displayLabel: f.name, detail: f.hint }));
}

const language = StreamLanguage.define({
  token(stream) {
    if (stream.eatSpace()) return null;
    if (stream.match(/^'(?:[^']|'')*'?/)) return 'string';
    if (stream.match(/^"(?:[^"]|"")*"?/)) return 'variableName';
    if (stream.match(/^\d+(\.\d+)?([eE][+-]?\d+)?/)) return 'number';
    if (stream.match(/^(and|or|not|in|between|like|is|null|true|false|div)\b/i)) return 'keyword';
    if (stream.match(/^[\p{L}_][\p{L}\p{N}_]*(?=\s*\()/u)) return 'function';
    if (stream.match(/^[\p{L}_][\p{L}\p{N}_.]*/u)) return 'variableName';
    stream.next();
    return 'operator';
  },
  tokenTable: { function: tags.function(tags.variableName) },
});

const colours = HighlightStyle.define([
  { tag: tags.keyword, color: 'var(--quiet)', fontWeight: '500' },
  { tag: tags.string, color: 'var(--accent-strong)' },
  { tag: tags.number, color: 'var(--accent-strong)' },
  { tag: tags.function(tags.variableName), color: 'var(--pending)' },
]);

const look = EditorView.theme({
  '&': { fontSize: '13px' },
  '&.cm-focused': { outline: 'none' },
  '.cm-content': { fontFamily: 'var(--font-mono)', padding: '5px 0', caretColor: 'var(--ink)' },
  '.cm-line': { padding: '0 8px' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-placeholder': { color: 'var(--quiet)' },
  '.cm-selectionBackground, &.cm-focused .cm-selectionBackground': { background: 'var(--accent-soft) !important' },
  '.cm-lintRange-error': {
    backgroundImage: 'none',
    textDecoration: 'underline wavy var(--trouble)',
    textUnderlineOffset: '3px',
    backgroundColor: 'var(--trouble-soft)',
  },
  '.cm-tooltip': {
    border: '1px solid var(--line-strong)',
    borderRadius: '4px',
    background: 'var(--sheet)',
    color: 'var(--ink)',
  },
  '.cm-tooltip.cm-tooltip-autocomplete > ul': { fontFamily: 'var(--font-mono)', fontSize: '13px', maxHeight: '16em' },
  '.cm-tooltip-autocomplete ul li': { padding: '2px 8px !important' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': {
    background: 'var(--accent-soft) !important',
    color: 'var(--ink) !important',
  },
  '.cm-completionDetail': { fontStyle: 'normal', color: 'var(--quiet)', marginLeft: '1em' },
  '.cm-completionInfo': { padding: '6px 8px', maxWidth: '320px', fontFamily: 'var(--font-sans)' },
});
