/** Cells of a type in words, as `Part.cellTypes` names the types. */

const plurals: Record<string, string> = {
  ...{
    vertex: 'points',
    polyVertex: 'groups of points',
    line: 'lines',
    polyLine: 'polylines',
    triangle: 'triangles',
    triangleStrip: 'strips of triangles',
    polygon: 'polygons',
    quad: 'quads',
    face: 'faces',
  },
  ...{
    tetra: 'tetrahedra',
    hexahedron: 'hexahedra',
    wedge: 'wedges',
    pyramid: 'pyramids',
    polyhedron: 'polyhedra',
    pixel: 'pixels',
    voxel: 'voxels',
  },
}

/**
 * `hexahedra`, `1 hexahedron`, `tetrahedra of 10 nodes`: types are named with their number of nodes where these are more than the
 * corners.
 */
export function cellWords(type: string, n = 2): string {
  const [, plain, nodes] = /^(.*?)(\d*)$/.exec(type)!
  const word = n === 1 ? (plain === 'tetra' ? 'tetrahedron' : plain!) : (plurals[plain!] ?? plain!)
  return nodes ? `${word} of ${nodes} nodes` : word
}
