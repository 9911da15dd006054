/** Geometry on the graphics card, held once however many panes draw it. */
import type * as THREE from 'three'

export class GeometryPool {
  private readonly held = new Map<string, { geometry: THREE.BufferGeometry; count: number }>()
  private readonly keys = new Map<THREE.BufferGeometry, string>()

  /** @param make  makes what nobody holds yet; equal keys mean equal geometry */
  take<G extends THREE.BufferGeometry>(key: string, make: () => G): G {
    let entry = this.held.get(key)
    if (!entry) {
      this.held.set(key, (entry = { geometry: make(), count: 0 }))
      this.keys.set(entry.geometry, key)
    }
    entry.count++
    return entry.geometry as G
  }

  release(geometry: THREE.BufferGeometry): void {
    const key = this.keys.get(geometry)!
    const entry = this.held.get(key)!
    if (--entry.count > 0) return
    geometry.dispose()
    this.held.delete(key)
    this.keys.delete(geometry)
  }

  /** How many are held. */
  get size(): number {
    return this.held.size
  }
}
