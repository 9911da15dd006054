/** The part of svgcanvas that is used; it ships no types. */
declare module 'svgcanvas' {
  export class Element {
    constructor(options: { width: number; height: number; enableMirroring: boolean })
    getContext(type: '2d'): { getSvg(): SVGSVGElement }
  }
}
