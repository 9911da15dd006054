/**
 * An embedded Runge–Kutta pair of orders 5 and 4: Dormand and Prince, "A family of embedded Runge–Kutta formulae" (J. Comp. Appl.
 * Math. 6, 1980). The last row of `stageWeights` gives the fifth-order result, at which the last stage is taken.
 */
export const stageWeights: readonly (readonly number[])[] = [
  [],
  [1 / 5],
  [3 / 40, 9 / 40],
  [44 / 45, -56 / 15, 32 / 9],
  [19372 / 6561, -25360 / 2187, 64448 / 6561, -212 / 729],
  [9017 / 3168, -355 / 33, 46732 / 5247, 49 / 176, -5103 / 18656],
  [35 / 384, 0, 500 / 1113, 125 / 192, -2187 / 6784, 11 / 84],
]

/** Where in the step each stage is taken. */
export const stageTimes: readonly number[] = [0, 1 / 5, 3 / 10, 4 / 5, 8 / 9, 1, 1]

/** Of the stages in the difference of both results. */
export const errorWeights: readonly number[] = [71 / 57600, 0, -71 / 16695, 71 / 1920, -17253 / 339200, 22 / 525, -1 / 40]
