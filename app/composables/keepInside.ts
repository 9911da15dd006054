import type { ComponentPublicInstance } from 'vue'

/** Moves a panel into the width of the nearest element marked `data-trail`, which scrolls; or into the page, where there is none. */
export function keepInside(panel: Element | ComponentPublicInstance | null): void {
  const element = (panel instanceof Element ? panel : panel?.$el) as HTMLElement | null | undefined
  if (!(element instanceof HTMLElement)) return
  element.style.translate = ''
  const trail = element.closest('[data-trail]')
  const room = trail ?? document.documentElement
  // the focus, which goes into the panel as it opens, may have scrolled to it
  room.scrollLeft = 0
  const own = element.getBoundingClientRect()
  const { left, right } = room.getBoundingClientRect()
  const over = Math.max(0, Math.min(own.right - (right - MARGIN), own.left - (left + MARGIN)))
  const [above, below] = [MARGIN - own.top, own.bottom - (window.innerHeight - MARGIN)]
  const down = trail ? 0 : above > 0 ? above : -Math.max(0, Math.min(below, -above))
  if (over || down) element.style.translate = `${-over}px ${down}px`
  // or does so only after this
  void nextTick(() => (room.scrollLeft = 0))
}

const MARGIN = 6
