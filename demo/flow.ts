/**
 * The fields of the fish-rearing tank, in closed form.
 *
 * The velocity is u = curl(χ A) of a vector potential A, so it is free of divergence to the last digit. With cylindrical
 * coordinates (r, θ, z), tank radius R and depth H:
 *
 *   A_θ = -Q/(2π) P(r, z)/r     through-flow: in through the wall's inlet band, out through the drain
 *   A_z = -Q/(2π) h(r) q(z) G(θ)   gathers the band into six inlets
 *         - f(z) ∫ v dr            the swirl v(r) f(z), counted from the arm so that it parts round the arm gently
 *
 * χ is 0 in the arm and 1 away from it, with two continuous derivatives, so that the water sticks to the arm. A's
 * horizontal components vanish on the free surface, which therefore stays closed wherever χ varies. The water
 * sticks to wall and floor outside inlets and drain; through all six inlets together flows exactly Q in, through the
 * drain exactly Q out.
 */
export const tank = {
  radius: 4,
  depth: 2.4,
  drainRadius: 0.2,
  inlets: 6,
  /** Inlets lie between these heights. */
  inletBottom: 1.2,
  inletTop: 1.8,
  /** Angle covered by one inlet. */
  inletAngle: (2 * Math.PI) / 24,
  /** The arm in cylindrical coordinates; it reaches from its tip to above the water. */
  arm: { inner: 2.4, outer: 2.6, start: (2 * Math.PI) / 12, angle: (2 * Math.PI) / 96, tip: 0.6 },
  density: 999.7,
} as const

export interface Operation {
  /** Inflow in m³/s. */
  flow: number
  /** Largest swirl speed in m/s. */
  swirl: number
  /** Amplitude and angle of the wandering of the vortex core. */
  wander?: { size: number; angle: number }
  /** Without the arm all is the same in each of the six sectors. */
  hasNoArm?: boolean
}

export type Vector = [number, number, number]

/** Quintic step from 0 to 1 over [0, 1] with its derivative; two continuous derivatives. */
function step(s: number): [number, number] {
  if (s <= 0) return [0, 0]
  if (s >= 1) return [1, 0]
  return [s * s * s * (s * (6 * s - 15) + 10), 30 * s * s * (s - 1) * (s - 1)]
}

/** Bump (1 - s²)² of unit integral over [-1, 1] and its integral from -1. */
function bump(s: number): [number, number] {
  if (s <= -1) return [0, 0]
  if (s >= 1) return [0, 1]
  return [(15 / 16) * (1 - s * s) ** 2, 0.5 + (15 / 16) * (s - (2 * s ** 3) / 3 + s ** 5 / 5)]
}

/** Values at a position: velocity in m/s and what else depends on it. */
export class TankFlow {
  constructor(private readonly operation: Operation) {}

  velocity(x: number, y: number, z: number): Vector {
    const r = Math.max(Math.hypot(x, y), 1e-9)
    const cos = x / r
    const sin = y / r
    const theta = Math.atan2(y, x)
    const a = this.potential(r, theta, z)
    const u = this.curl(r, theta, z)
    const chi = this.operation.hasNoArm ? { value: 1, dr: 0, dTheta: 0, dz: 0 } : armMask(r, theta, z)
    // curl(χ A) = χ curl A + ∇χ × A
    const ur = chi.value * u[0] + chi.dTheta * a[2] - chi.dz * a[1]
    const ut = chi.value * u[1] + chi.dz * a[0] - chi.dr * a[2]
    const uz = chi.value * u[2] + chi.dr * a[1] - chi.dTheta * a[0]
    return [ur * cos - ut * sin, ur * sin + ut * cos, uz]
  }

  /** Swirl speed without the arm; m/s. */
  private swirl(r: number): number {
    const s = r / 1.4
    return (this.operation.swirl * 2 * s * (1 - (r / tank.radius) ** 8)) / (1 + s * s)
  }

  /** Integral of the swirl over the radius; see `swirl`. */
  private swirlIntegral(r: number): number {
    const s = (r / 1.4) ** 2
    const wall = 2 * (1.4 / tank.radius) ** 8
    return 1.4 * this.operation.swirl * (Math.log(1 + s) - wall * (s ** 4 / 8 - s ** 3 / 6 + s ** 2 / 4 - s / 2 + Math.log(1 + s) / 2))
  }

  private potential(r: number, theta: number, z: number): Vector {
    const t = 1 - z / tank.depth
    const swirl = (1 - t ** 6) * (this.swirlIntegral(r) - this.swirlIntegral(2.5))
    const q = inletBand(z)
    const k = this.operation.flow / (2 * Math.PI)
    const core = this.core(r, theta, z)
    return [0, (-k * throughFlow(r, z).value) / r, -k * gather(r)[0] * q.density * inletAngles(theta).integral - swirl + core.az]
  }

  private curl(r: number, theta: number, z: number): Vector {
    const k = this.operation.flow / (2 * Math.PI)
    const p = throughFlow(r, z)
    const q = inletBand(z)
    const [h, dh] = gather(r)
    const angles = inletAngles(theta)
    const t = 1 - z / tank.depth
    const core = this.core(r, theta, z)
    return [
      (k * p.dz) / r - (k * h * q.density * (angles.density - 1)) / r + core.ur,
      this.swirl(r) * (1 - t ** 6) + k * dh * q.density * angles.integral + core.ut,
      (-k * p.dr) / r,
    ]
  }

  /** A drifting m = 1 mode in A_z: moves the vortex core without touching wall or floor. */
  private core(r: number, theta: number, z: number): { az: number; ur: number; ut: number } {
    const { wander } = this.operation
    if (!wander) return { az: 0, ur: 0, ut: 0 }
    const s = r / tank.radius
    const c = 1 - s * s
    const b = r * c * c
    const db = c * c - 4 * s * s * c
    const lift = 1 - (1 - z / tank.depth) ** 4
    const scale = wander.size * this.operation.swirl * lift
    const phase = theta - wander.angle
    return { az: scale * b * Math.cos(phase), ur: (-scale * b * Math.sin(phase)) / r, ut: -scale * db * Math.cos(phase) }
  }

  /** Temperature in K: cold make-up water near the wall, warmed on its way to the middle. */
  temperature(x: number, y: number, z: number): number {
    const s = Math.min(1, Math.hypot(x, y) / tank.radius)
    const angle = Math.atan2(y, x)
    return 287.4 - 3.2 * s ** 3 * (1 + 0.25 * Math.cos(6 * angle - 2 * s)) - (0.9 * 0.04 * (1 - z / tank.depth)) / this.operation.flow
  }

  /** Age of the water in s: older in the middle and near the floor, younger with more inflow. */
  age(x: number, y: number, z: number): number {
    const s = Math.min(1, Math.hypot(x, y) / tank.radius)
    return (48 / this.operation.flow) * (1.9 - 1.1 * s * s + 0.35 * (1 - z / tank.depth) * (1 - s))
  }

  /** Gauge pressure in Pa: hydrostatic, with the dip of the vortex. */
  pressure(x: number, y: number, z: number): number {
    const s = Math.hypot(x, y) / 1.4
    return tank.density * (9.81 * (tank.depth - z) - (0.5 * this.operation.swirl ** 2 * 4) / (1 + s * s))
  }

  /** Turbulence-like energy in m²/s². */
  turbulence(x: number, y: number, z: number): number {
    const s = Math.hypot(x, y) / tank.radius
    const t = z / tank.depth
    return 0.01 * this.operation.swirl ** 2 * (0.2 + s ** 4 + 0.6 * Math.exp(-6 * t))
  }

  /** Deflection of the arm in m: a cantilever under a uniform load, held above the water. */
  displacement(x: number, y: number, z: number): Vector {
    const { load, reach, stiffness, along } = this.arm(z)
    const w = (load * along ** 2 * (6 * reach ** 2 - 4 * reach * along + along ** 2)) / (24 * stiffness)
    const r = Math.hypot(x, y)
    return [(-w * y) / r, (w * x) / r, 0]
  }

  /** Bending stress of the arm in Pa, in the order xx yy zz xy yz xz. */
  stress(x: number, y: number, z: number): number[] {
    const { load, reach, along } = this.arm(z)
    const { arm } = tank
    const middle = arm.start + arm.angle / 2
    const width = ((arm.inner + arm.outer) / 2) * arm.angle
    const offset = Math.hypot(x, y) * Math.sin(Math.atan2(y, x) - middle)
    const inertia = ((arm.outer - arm.inner) * width ** 3) / 12
    const bending = (0.5 * load * (reach - along) ** 2 * offset) / inertia
    return [0.05 * bending, 0.05 * bending, bending, 0, 0.1 * load, 0]
  }

  private arm(z: number): { load: number; reach: number; stiffness: number; along: number } {
    const { arm, depth, density } = tank
    const load = 0.5 * density * 1.2 * (arm.outer - arm.inner) * this.swirl(2.5) ** 2 * 40
    return { load, reach: depth - arm.tip, stiffness: 2.4e4, along: depth - z }
  }
}

/** 2πψ/Q of the through-flow: P = p [(1 - w) e + w (1 - S)] and its derivatives. */
function throughFlow(r: number, z: number): { value: number; dr: number; dz: number } {
  const { depth, drainRadius, radius } = tank
  const t = z / depth
  const rho = drainRadius + 1.6 * t * t
  const dRho = (3.2 * t) / depth
  const s = r / rho
  const inside = s < 1
  const p = inside ? 2 * s * s - s ** 4 : 1
  const dp = inside ? 4 * s - 4 * s ** 3 : 0
  const [w, dw] = step((r - 2.7) / (radius - 2.7))
  const dwdr = dw / (radius - 2.7)
  const e = 1 - t * t * (3 - 2 * t)
  const de = (-6 * t * (1 - t)) / depth
  const q = inletBand(z)
  const mix = (1 - w) * e + w * (1 - q.integral)
  return {
    value: p * mix,
    dr: (dp / rho) * mix + p * dwdr * (1 - q.integral - e),
    dz: ((-dp * s * dRho) / rho) * mix + p * ((1 - w) * de - w * q.density),
  }
}

/** Inflow over the height of the wall: unit integral. */
function inletBand(z: number): { density: number; integral: number } {
  const half = (tank.inletTop - tank.inletBottom) / 2
  const [density, integral] = bump((z - tank.inletBottom) / half - 1)
  return { density: density / half, integral }
}

/** Inflow over the angle: mean 1, gathered in the inlets; and the integral of (density - 1), of mean 0. */
function inletAngles(theta: number): { density: number; integral: number } {
  const period = (2 * Math.PI) / tank.inlets
  const half = tank.inletAngle / 2
  const local = theta - period * Math.round(theta / period)
  const [density, integral] = bump(local / half)
  return { density: (period * density) / half, integral: period * (integral - 0.5) - local }
}

/** From 0 inside to 1 at the wall. */
function gather(r: number): [number, number] {
  const [value, slope] = step((r - 2.9) / (tank.radius - 2.9))
  return [value, slope / (tank.radius - 2.9)]
}

/** χ: 0 in the arm, 1 away from it; the angular derivative is divided by r. */
function armMask(r: number, theta: number, z: number): { value: number; dr: number; dTheta: number; dz: number } {
  const { arm } = tank
  const margin = 0.35
  const b = plateau(r, arm.inner, arm.outer, margin)
  const marginAngle = margin / 2.5
  const c = plateau(theta, arm.start, arm.start + arm.angle, marginAngle)
  const [up, slope] = step((z - arm.tip + margin) / margin)
  const e: [number, number] = [up, slope / margin]
  return { value: 1 - b[0] * c[0] * e[0], dr: -b[1] * c[0] * e[0], dTheta: (-b[0] * c[1] * e[0]) / r, dz: -b[0] * c[0] * e[1] }
}

/** 1 on [a, b], falling to 0 over the margin on both sides; with its derivative. */
function plateau(x: number, a: number, b: number, margin: number): [number, number] {
  const [left, dLeft] = step((x - a + margin) / margin)
  const [right, dRight] = step((b + margin - x) / margin)
  return [left * right, (dLeft * right - left * dRight) / margin]
}
