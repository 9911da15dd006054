<script setup lang="ts">
/** One line of formula: names and functions are completed as it is typed, and what is wrong is underlined at its place. */
import {
  acceptCompletion,
  autocompletion,
  closeCompletion,
  completionKeymap,
  completionStatus,
  moveCompletionSelection,
} from '@codemirror/autocomplete'
import type { Completion, CompletionContext, CompletionResult } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
import { EditorState, Prec, StateEffect, StateField } from '@codemirror/state'
import { Decoration, EditorView, keymap, placeholder } from '@codemirror/view'

const props = defineProps<{
  modelValue: string
  label: string
  hint: string
  completions: readonly Completion[]
  /** What is wrong, by characters of the text. */
  wrong?: readonly [number, number] | undefined
  isInvalid: boolean
}>()
const emit = defineEmits<{ 'update:modelValue': [text: string]; commit: []; cancel: []; blur: [] }>()
const holder = ref<HTMLElement>()
let view: EditorView | undefined

const WORD = /[\p{L}_][\p{L}\p{N}_]*/u
const COMPONENTS = ['x', 'y', 'z', 'xx', 'yy', 'zz', 'xy', 'yz', 'xz'].map((label): Completion => ({ label, detail: 'component' }))

function complete(context: CompletionContext): CompletionResult | null {
  const word = context.matchBefore(WORD)
  if (!word && !context.explicit) return null
  const from = word?.from ?? context.pos
  const isComponent = context.state.sliceDoc(from - 1, from) === '.' && !/\d/.test(context.state.sliceDoc(from - 2, from - 1))
  return { from, options: isComponent ? COMPONENTS : [...props.completions], validFor: /^[\p{L}\p{N}_]*$/u }
}

const mark = StateEffect.define<readonly [number, number] | undefined>()
const underlined = StateField.define({
  create: () => Decoration.none,
  update(marks, transaction) {
    const found = transaction.effects.find((effect) => effect.is(mark))
    if (!found) return marks.map(transaction.changes)
    const length = transaction.newDoc.length
    const [from, to] = [Math.min(found.value?.[0] ?? 0, length), Math.min(found.value?.[1] ?? 0, length)]
    if (!found.value || !length) return Decoration.none
    // what is missing at the end is shown at the last character
    return Decoration.set(
      Decoration.mark({ class: 'wrong' }).range(Math.min(from, length - 1), Math.max(to, Math.min(from, length - 1) + 1)),
    )
  },
  provide: (field) => EditorView.decorations.from(field),
})

const keys = keymap.of([
  {
    key: 'Enter',
    run: (own) => {
      if (completionStatus(own.state) === 'active' && acceptCompletion(own)) return true
      emit('commit')
      return true
    },
  },
  {
    // the first one is taken where none is chosen
    key: 'Tab',
    run: (own) =>
      completionStatus(own.state) === 'active' && (acceptCompletion(own) || (moveCompletionSelection(true)(own) && acceptCompletion(own))),
  },
  {
    key: 'Escape',
    run: (own) => {
      if (!closeCompletion(own)) emit('cancel')
      return true
    },
  },
])

onMounted(() => {
  view = new EditorView({
    parent: holder.value!,
    state: EditorState.create({
      doc: props.modelValue,
      selection: { anchor: props.modelValue.length },
      extensions: [
        Prec.highest(keys),
        history(),
        autocompletion({ override: [complete], selectOnOpen: false, filterStrict: true, icons: false, interactionDelay: 0 }),
        keymap.of([...completionKeymap.filter(({ key }) => key !== 'Enter'), ...historyKeymap, ...defaultKeymap]),
        placeholder(props.hint),
        underlined,
        // one line
        EditorState.transactionFilter.of((transaction) => (transaction.newDoc.lines > 1 ? [] : transaction)),
        EditorView.clipboardInputFilter.of((text) => text.replace(/\s*\n\s*/g, ' ')),
        EditorView.contentAttributes.of(() => ({
          'aria-label': props.label,
          'aria-invalid': String(props.isInvalid),
          spellcheck: 'false',
        })),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) emit('update:modelValue', update.state.doc.toString())
          if (update.focusChanged && !update.view.hasFocus) emit('blur')
        }),
      ],
    }),
  })
  underline()
  view.focus()
})
onBeforeUnmount(() => view?.destroy())

watch(
  () => props.modelValue,
  (text) => {
    if (view && text !== view.state.doc.toString())
      view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text }, selection: { anchor: text.length } })
  },
)
function underline(): void {
  view?.dispatch({ effects: mark.of(props.wrong) })
}
watch(() => [props.wrong, props.isInvalid], underline, { flush: 'post' })

defineExpose({ focus: () => view?.focus() })
</script>

<template>
  <div ref="holder" class="formula-editor field num text-[12px]" :class="isInvalid && 'border-brick!'" />
</template>

<style>
.formula-editor .cm-editor.cm-focused {
  outline: none;
}
.formula-editor .cm-scroller,
.formula-editor .cm-tooltip {
  font-family: var(--font-mono);
}
.formula-editor .cm-content {
  /* room for the underline */
  padding: 0 0 3px;
  caret-color: var(--color-ink);
}
.formula-editor .cm-line {
  padding: 0;
}
.formula-editor .cm-cursor {
  border-left-color: var(--color-ink);
}
.formula-editor .wrong {
  text-decoration: underline wavy 1px var(--color-brick);
  text-underline-offset: 2px;
}
.formula-editor .cm-tooltip {
  border: 1px solid var(--color-line);
  border-radius: 6px;
  background: var(--color-panel);
  color: var(--color-ink);
}
.formula-editor .cm-tooltip.cm-tooltip-autocomplete > ul {
  max-width: 320px;
  font-family: var(--font-mono);
  font-size: 12px;
}
.formula-editor .cm-tooltip-autocomplete ul li[aria-selected] {
  background: var(--color-pine-wash);
  color: var(--color-ink);
}
.formula-editor .cm-completionDetail {
  margin-left: 0.7em;
  color: var(--color-mute);
  font-style: normal;
}
.formula-editor .cm-completionMatchedText {
  text-decoration: none;
  font-weight: 600;
}
</style>
