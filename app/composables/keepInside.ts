import type { ComponentPublicInstance } from 'vue'

/** Where a panel must stay inside: of the nearest element marked `data-trail`, which scrolls, or of the page. */
export function keepInside(panel: Element | ComponentPublicInstance | null): void {
  const element = (panel instanceof Element ? panel : panel?.$el) as HTMLElement | null | undefined
  if (!(element instanceof HTMLElement)) return
  element.style.translate = ''
  const own = element.getBoundingClientRect()
  const room = element.closest('[data-trail]') ?? document.documentElement
  const { left, right } = room.getBoundingClientRect()
  const over = Math.min(own.right - (right - MARGIN), own.left - (left + MARGIN))
  if (over > 0) element.style.translate = `${-over}px 0`
  // the focus may have moved what it was put into before that
  void nextTick(() => (room.scrollLeft = 0))
}

const MARGIN = 6
