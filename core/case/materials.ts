/**
 * Materials to choose from, constants in coherent SI. Water and air at atmospheric pressure: VDI Heat Atlas, 2nd edition
 * (2010), D2.1 and D2.2; metals: typical values of structural grades, Eurocodes 3 and 9.
 */
import type { Material } from './catalogue'

export const materials: readonly Material[] = [
  { name: 'water, 10 °C', constants: { density: 999.7, viscosity: 1.306e-3, conductivity: 0.5788, heat_capacity: 4196 } },
  { name: 'water, 20 °C', constants: { density: 998.2, viscosity: 1.0016e-3, conductivity: 0.598, heat_capacity: 4185 } },
  { name: 'air, 20 °C', constants: { density: 1.189, viscosity: 1.821e-5, conductivity: 0.02587, heat_capacity: 1006 } },
  { name: 'steel', constants: { density: 7850, elasticity: 210e9 } },
  { name: 'aluminium', constants: { density: 2700, elasticity: 70e9 } },
]
