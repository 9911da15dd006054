/** Arrow keys walk what of a list can be chosen. @param item  selector of what they stop at */
export function walkList(event: KeyboardEvent, item: string): void {
  const by = { ArrowDown: 1, ArrowUp: -1 }[event.key]
  if (!by) return
  event.preventDefault()
  event.stopPropagation()
  const items = [...(event.currentTarget as HTMLElement).querySelectorAll<HTMLElement>(item)]
  const at = items.indexOf(document.activeElement as HTMLElement)
  items[(at + by + items.length) % items.length]?.focus()
}
