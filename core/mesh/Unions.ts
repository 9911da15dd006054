/** Sets that are joined, by union-find with shortened paths (Tarjan, J. ACM 22, 1975). The least member stands for its set. */
import { Growing } from './growing'

export class Unions {
  private readonly parents = new Growing(Int32Array)

  /** A set of its own. @returns its member */
  add(): number {
    this.parents.push(this.parents.length)
    return this.parents.length - 1
  }

  find(i: number): number {
    let root = i
    while (this.parents.at(root) !== root) root = this.parents.at(root)
    for (let at = i; at !== root;) {
      const next = this.parents.at(at)
      this.parents.put(at, root)
      at = next
    }
    return root
  }

  join(i: number, j: number): number {
    const [a, b] = [this.find(i), this.find(j)]
    if (a !== b) this.parents.put(Math.max(a, b), Math.min(a, b))
    return Math.min(a, b)
  }
}
