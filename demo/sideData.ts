/** What was measured at the tank, made up: tables beside the cases, as they come from a logger, a spreadsheet and a drawing. */
import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { tank, TankFlow } from './flow'

/** Sensors stand on three rings at two heights. */
const RINGS = [1, 2.2, 3.4]
const HEIGHTS = [0.5, 1.9]
const SENSORS_OF_RING = 4
const PROFILE_POINTS = 30
/** Largest error of a sensor in K, and of the speed as a share of it. */
export const sensorError = 0.05
export const speedError = 0.04

/** Numbers between -1 and 1 that are the same every time. */
function scatter(i: number): number {
  return 2 * ((Math.sin(12.9898 * (i + 1)) * 43758.5453) % 1) - Math.sign(Math.sin(12.9898 * (i + 1)))
}

/** Writes `sensors.csv`, `speed-profile.csv` and `drain-pipe.csv` below `side/`. */
export async function writeSideData(folder: string): Promise<void> {
  const flow = new TankFlow({ flow: 0.04, swirl: 0.28 })
  await mkdir(join(folder, 'side'), { recursive: true })
  await writeFile(join(folder, 'side', 'sensors.csv'), sensors(flow))
  await writeFile(join(folder, 'side', 'speed-profile.csv'), speedProfile(flow))
  await writeFile(join(folder, 'side', 'drain-pipe.csv'), drainPipe())
}

/** With decimal commas, as a logger of the place writes. */
function sensors(flow: TankFlow): string {
  const rows: string[] = []
  const comma = (x: number, digits: number): string => x.toFixed(digits).replace('.', ',')
  for (const r of RINGS) {
    for (const z of HEIGHTS) {
      for (let k = 0; k < SENSORS_OF_RING; k++) {
        const angle = (2 * Math.PI * (k + 0.5)) / SENSORS_OF_RING
        const [x, y] = [r * Math.cos(angle), r * Math.sin(angle)]
        const celsius = flow.temperature(x, y, z) - 273.15 + sensorError * scatter(rows.length)
        rows.push([String(rows.length + 1), comma(x, 3), comma(y, 3), comma(z, 3), comma(celsius, 3)].join(';'))
      }
    }
  }
  return ['# temperatures at 40 L/s, made up', 'sensor;x [m];y [m];z [m];T [°C]', ...rows, ''].join('\r\n')
}

/** Speed along a radius at half depth: XY data. */
function speedProfile(flow: TankFlow): string {
  const rows = Array.from({ length: PROFILE_POINTS }, (_, i) => {
    const r = 0.2 + (i * (tank.radius - 0.4)) / (PROFILE_POINTS - 1)
    const speed = Math.hypot(...flow.velocity(r, 0, tank.depth / 2)) * (1 + speedError * scatter(100 + i))
    return `${r.toFixed(3)},${speed.toFixed(4)}`
  })
  return ['# speed at half depth along the x axis, 40 L/s, made up', 'r [m],speed [m/s]', ...rows, ''].join('\n')
}

/** Centre line of the pipe from the drain: down, through a bend, and away. */
function drainPipe(): string {
  const bend = Array.from({ length: 9 }, (_, i) => [0.6 - 0.6 * Math.cos((i * Math.PI) / 16), 0, -0.8 - 0.6 * Math.sin((i * Math.PI) / 16)])
  const points = [[0, 0, 0], ...bend, [6, 0, -1.4]]
  return ['line,x [m],y [m],z [m]', ...points.map((p) => `1,${p.map((x) => x!.toFixed(4)).join(',')}`), ''].join('\n')
}
