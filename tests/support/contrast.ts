/** Whether what is written on a page can be read: contrast as WCAG 2.2 defines it, of each text against what is painted behind it. */
import type { Page } from 'playwright-core'

/** Texts below a contrast, with it. Canvases are not seen. @returns e.g. `hidden step: 2.70` */
export function paleTexts(page: Page, least = 4.5): Promise<string[]> {
  return page.evaluate((least) => {
    type Colour = [number, number, number, number]
    const context = new OffscreenCanvas(1, 1).getContext('2d', { willReadFrequently: true })!
    const parsed = (colour: string): Colour => {
      context.clearRect(0, 0, 1, 1)
      context.fillStyle = colour
      context.fillRect(0, 0, 1, 1)
      const [r, g, b, a] = context.getImageData(0, 0, 1, 1).data
      return [r!, g!, b!, a! / 255]
    }
    const over = ([r, g, b, a]: Colour, below: Colour): Colour => {
      const mixed = (top: number, under: number): number => top * a + under * (1 - a)
      return [mixed(r, below[0]), mixed(g, below[1]), mixed(b, below[2]), 1]
    }
    const luminance = ([r, g, b]: Colour): number => {
      const linear = (c: number): number => (c / 255 <= 0.04045 ? c / 255 / 12.92 : ((c / 255 + 0.055) / 1.055) ** 2.4)
      return 0.2126 * linear(r) + 0.7152 * linear(g) + 0.0722 * linear(b)
    }
    const contrastOf = (element: Element): number => {
      const style = getComputedStyle(element)
      const around: Element[] = []
      for (let one: Element | null = element; one; one = one.parentElement) around.push(one)
      const ground = around.reduceRight((below, one) => over(parsed(getComputedStyle(one).backgroundColor), below), [
        255, 255, 255, 1,
      ] as Colour)
      const opacity = around.reduce((product, one) => product * Number(getComputedStyle(one).opacity), 1)
      const [r, g, b, a] = parsed(element instanceof SVGElement ? style.fill : style.color)
      const [light, dark] = [over([r, g, b, a * opacity], ground), ground].map(luminance).sort((p, q) => q - p) as [number, number]
      return (light + 0.05) / (dark + 0.05)
    }
    const pale: string[] = []
    const texts = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT)
    while (texts.nextNode()) {
      const element = texts.currentNode.parentElement!
      const text = texts.currentNode.textContent!.trim()
      if (!text || !element.getClientRects().length || element.closest('.sr-only')) continue
      const contrast = contrastOf(element)
      if (contrast < least) pale.push(`${text}: ${contrast.toFixed(2)}`)
    }
    return pale
  }, least)
}
