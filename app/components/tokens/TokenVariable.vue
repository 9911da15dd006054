<script setup lang="ts">
/** A token that opens the list of variables: with their components, and a line to find one or to write an expression. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { Check } from 'lucide-vue-next'
import type { VNodeRef } from 'vue'
import { FormulaError } from '~~/core/errors'
import type { Written } from '~~/core/study/writtenVariables'
import { keepInside } from '~/composables/keepInside'
import { walkList } from '~/composables/walkList'
import type { Choice, VariableKind } from '~/composables/useVariables'

/**
 * @param of    step whose own columns can be chosen as well
 * @param none  the choice of no variable, where that is one
 */
const props = defineProps<{ label: string; title: string; kind: VariableKind; of?: string | undefined; none?: Choice; selected: string }>()
const emit = defineEmits<{ choose: [id: string] }>()
const bench = useBench()
const text = ref('')

const all = computed(() => bench.variables.offers(props.kind, props.of))
/** Whether one of the names holds what is typed. */
const isWanted = (names: readonly string[]): boolean => {
  const wanted = text.value.trim().toLowerCase()
  return names.some((name) => name.toLowerCase().includes(wanted))
}
const found = computed(() => {
  const own = props.none ? [{ ...props.none, components: [], isHead: false }, ...all.value] : all.value
  return own.filter(({ label, components }) => isWanted([label, ...components.map(({ written }) => written.text)]))
})
/** Ready formulas that fit, of the fields of this case. */
const ready = computed(() =>
  bench.variables.shelf.value.flatMap(({ name, text: formula, about, from }) => {
    if (from !== undefined || !isWanted([name, formula])) return []
    const read = bench.variables.written(formula, props.kind)
    return read instanceof FormulaError ? [] : [{ name, text: formula, about, hint: read.hint }]
  }),
)
/** What is typed, as an expression; null while it is but the beginning of a name. */
const written = computed(() => {
  const own = text.value.trim()
  if (!own || all.value.some(({ label }) => label === own)) return null
  const read = bench.variables.written(own, props.kind)
  return read instanceof FormulaError && (found.value.length || ready.value.length) ? null : read
})

async function take(choice: string | Written, close: () => void): Promise<void> {
  close()
  emit('choose', typeof choice === 'string' ? choice : await bench.edits.variableOf({ name: choice.name, text: choice.text }))
}

/** Enter takes what is written, or the first that is found: variables before ready formulas. */
function enter(close: () => void): void {
  const exact = found.value.find(({ label }) => label.toLowerCase() === text.value.trim().toLowerCase())
  if (!exact && written.value && !(written.value instanceof FormulaError)) return void take(written.value, close)
  const first = (exact ?? found.value.find(({ isHead }) => !isHead))?.value ?? ready.value[0]
  if (text.value.trim() && first) void take(first, close)
}
</script>

<template>
  <Popover class="relative inline" v-slot="{ close }">
    <PopoverButton class="token max-w-60 truncate align-bottom" data-token :aria-label="`${title}: ${label}`" @click.stop>{{
      label
    }}</PopoverButton>
    <PopoverPanel :ref="keepInside as VNodeRef" class="pop absolute left-0 top-6 w-72" focus>
      <!-- the list begins with all there is, however it was left the last time -->
      <div @vue:before-mount="text = ''" @keydown="(event: KeyboardEvent) => walkList(event, '[data-item]')" @click.stop>
        <input
          v-model="text"
          data-item
          type="text"
          class="field num mb-1 w-full"
          placeholder="Find, or write a formula"
          aria-label="Find a variable, or write a formula"
          autocomplete="off"
          spellcheck="false"
          @keydown.enter.prevent.stop="enter(close)"
        />
        <div role="listbox" :aria-label="title" class="max-h-64 overflow-auto">
          <div v-for="{ value, label: name, hint, isHead, components } in found" :key="value" role="presentation">
            <component
              :is="isHead ? 'div' : 'button'"
              :role="isHead ? 'presentation' : 'option'"
              :aria-selected="isHead ? undefined : value === selected"
              :type="isHead ? undefined : 'button'"
              :data-item="isHead ? undefined : ''"
              class="flex w-full items-baseline gap-1.5 rounded px-1.5 py-1 text-left"
              :class="{ 'hover:bg-pine-wash focus:bg-pine-wash': !isHead }"
              @click="isHead || take(value, close)"
            >
              <Check :size="13" class="shrink-0 self-center text-pine" :class="{ invisible: value !== selected }" aria-hidden="true" />
              <span class="truncate" :class="{ 'text-mute': isHead }">{{ name }}</span>
              <span class="ml-auto max-w-40 shrink-0 truncate pl-2 text-[11.5px] text-mute">{{ hint }}</span>
            </component>
            <div v-if="components.length" role="presentation" class="flex flex-wrap gap-1 pb-1 pl-6">
              <button
                v-for="{ word, written: part } in components"
                :key="word"
                type="button"
                role="option"
                data-item
                class="chip num"
                :aria-label="part.text"
                :aria-selected="bench.document.value?.formulas[selected]?.text === part.text"
                @click="take(part, close)"
              >
                {{ word }}
              </button>
            </div>
          </div>
          <p v-if="ready.length" role="presentation" class="mt-1 border-t border-line px-1.5 pt-1 text-[11.5px] text-mute">
            Ready formulas
          </p>
          <button
            v-for="own in ready"
            :key="own.name"
            type="button"
            role="option"
            data-item
            class="flex w-full items-baseline gap-1.5 rounded py-1 pl-6 pr-1.5 text-left hover:bg-pine-wash focus:bg-pine-wash"
            :aria-selected="false"
            :title="`${own.about}: ${own.text}`"
            @click="take(own, close)"
          >
            <span class="truncate">{{ own.name }}</span>
            <span class="ml-auto shrink-0 pl-2 text-[11.5px] text-mute">{{ own.hint }}</span>
          </button>
          <button
            v-if="written && !(written instanceof FormulaError)"
            type="button"
            role="option"
            data-item
            class="flex w-full items-baseline gap-1.5 rounded px-1.5 py-1 text-left hover:bg-pine-wash focus:bg-pine-wash"
            :aria-selected="false"
            @click="take(written, close)"
          >
            <span class="num truncate">{{ text.trim() }}</span>
            <span class="ml-auto shrink-0 pl-2 text-[11.5px] text-mute">new formula, {{ written.hint }}</span>
          </button>
        </div>
        <p v-if="written instanceof FormulaError" class="px-1.5 py-1 text-amber-text">{{ written.message }}</p>
        <p v-if="!found.length && !ready.length && !text.trim()" class="px-1.5 py-1 text-mute">Nothing in the study fits here.</p>
      </div>
    </PopoverPanel>
  </Popover>
</template>
