/** Columns of followed paths, by which other steps know them. */
export const pathColumns = {
  time: { name: 'path-time', title: 'time on the path' },
  age: { name: 'path-age', title: 'age on the path' },
  speed: { name: 'path-speed', title: 'speed on the path' },
  release: { name: 'path-release', title: 'release' },
  place: { name: 'path-place', title: 'place of release' },
  diameter: { name: 'path-diameter', title: 'diameter' },
} as const
