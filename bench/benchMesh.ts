/** The mesh and fields a bench works on: T and U on points, single precision, as the reference writes them. */
import { UserError } from '../core/errors'
import type { OpenCase } from '../core/formats/Format'
import type { FloatArray } from '../core/mesh/MeshBlock'
import type { NormalMesh } from '../core/mesh/normaliseCells'

export interface BenchMesh {
  mesh: NormalMesh
  T: FloatArray
  U: FloatArray
}

/** @throws UserError when the file lacks a point scalar T or a point vector U */
export async function readBenchMesh(opened: OpenCase): Promise<BenchMesh> {
  const region = opened.catalogue.parts.find((p) => p.dimension === 3)
  if (!region) throw new UserError('no-region', 'The bench needs a file with volume cells.')
  const field = async (name: string, components: number): Promise<FloatArray> => {
    const values = await opened.values(region.name, name, 0).catch(() => undefined)
    if (values?.place !== 'point' || values.components !== components) {
      throw new UserError('no-field', `The bench needs ${name} on points with ${components} component${components > 1 ? 's' : ''}.`)
    }
    return values.values
  }
  return { mesh: await opened.mesh(region.name, 0), T: await field('T', 1), U: await field('U', 3) }
}
