/**
 * Diameters of which each stands for the same share of all mass: Rosin and Rammler, "The laws governing the fineness of powdered coal"
 * (J. Inst. Fuel 7, 1933). The share of mass above a diameter d is exp(−ln 2 (d / median)^exponent).
 */
export function equalMasses(median: number, exponent: number, count: number): number[] {
  return Array.from({ length: count }, (_, i) => {
    const above = 1 - (i + 0.5) / count
    return Number((median * (-Math.log(above) / Math.LN2) ** (1 / exponent)).toPrecision(4))
  })
}
