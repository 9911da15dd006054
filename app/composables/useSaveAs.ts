/** Gives a file to the browser to keep. */
export function saveAs(file: Blob, name: string): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(file)
  link.download = name
  link.click()
  // the browser has begun to read it by then
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000)
}

/** Asks for a file and keeps it: whether it is under way, and what went wrong. */
export function useSaving() {
  const problem = ref('')
  const isBusy = ref(false)

  async function attempt(what: () => Promise<void>): Promise<void> {
    problem.value = ''
    isBusy.value = true
    try {
      await what()
    } catch (error) {
      problem.value = (error as Error).message
    } finally {
      isBusy.value = false
    }
  }

  const save = (make: () => Promise<Blob>, name: string): Promise<void> => attempt(async () => saveAs(await make(), name))

  return { problem, isBusy, attempt, save }
}
