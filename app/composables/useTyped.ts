/**
 * The text of a token while it is edited. Enter commits, and the keyboard goes on at the token; Escape leaves it as it was; going
 * elsewhere commits.
 *
 * @param written  the text to begin with
 * @param read     the value of a text, or a sentence on what is wrong with it
 */
export function useTyped<T extends number | number[] | number[][] | string[]>(
  written: () => string,
  read: (text: string) => T | string,
  done: (value: T) => void,
) {
  const text = ref<string | null>(null)
  const problem = ref('')
  const box = ref<HTMLInputElement | HTMLTextAreaElement>()
  const token = ref<HTMLButtonElement>()

  async function begin(): Promise<void> {
    text.value = written()
    problem.value = ''
    await nextTick()
    box.value?.focus()
    box.value?.select()
  }

  function value(): T | undefined {
    const found = read(text.value ?? '')
    if (typeof found !== 'string') return found
    problem.value = found
    return undefined
  }

  function commit(): void {
    if (text.value === null) return
    const found = value()
    if (found === undefined) return
    text.value = null
    done(found)
  }

  async function enter(): Promise<void> {
    commit()
    await nextTick()
    token.value?.focus()
  }

  function leave(event: Event): void {
    text.value = null
    ;(event.target as HTMLElement).closest<HTMLElement>('[data-trail]')?.focus()
  }

  return { text, problem, box, token, value, begin, commit, enter, leave }
}
