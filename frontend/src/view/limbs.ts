/** Which vertices do not belong to the limb that is looked at: what hides it may fade. */
import type { FigureInfo } from '@/api/client'

/** Joints this many steps away in the skeleton still belong to the same limb. */
const NEAR = 2

/** For each vertex the joint whose bone is the nearest at rest; a bone runs from its joint to a child, and follows the joint. */
export function boneOwners(info: FigureInfo, rest: Float32Array): Int32Array {
  const at = new Map(info.joints.map((j) => [j.index, j.at]))
  // One after the other in one array, since every vertex goes through all: owner, start, way, one over its length squared.
  const bones: number[] = []
  const ended = new Set<number>()
  const put = (owner: number, from: readonly number[], [dx, dy, dz]: readonly number[]) =>
    bones.push(owner, ...from, dx, dy, dz, 1 / Math.max(dx * dx + dy * dy + dz * dz, 1e-18))
  for (const j of info.joints) {
    const from = at.get(j.parent)
    if (!from) continue
    ended.add(j.parent)
    put(j.parent, from, j.at.map((c, k) => c - from[k]))
  }
  for (const j of info.joints) if (!ended.has(j.index)) put(j.index, j.at, [0, 0, 0])
  const flat = Float64Array.from(bones)
  const out = new Int32Array(rest.length / 3).fill(-1)
  for (let v = 0; v < out.length; v++) {
    let best = Infinity
    for (let b = 0; b < flat.length; b += 8) {
      const px = rest[3 * v] - flat[b + 1], py = rest[3 * v + 1] - flat[b + 2], pz = rest[3 * v + 2] - flat[b + 3]
      const dx = flat[b + 4], dy = flat[b + 5], dz = flat[b + 6]
      const t = Math.min(1, Math.max(0, (px * dx + py * dy + pz * dz) * flat[b + 7]))
      const x = px - t * dx, y = py - t * dy, z = pz - t * dz
      const away = x * x + y * y + z * z
      if (away < best) {
        best = away
        out[v] = flat[b]
      }
    }
  }
  return out
}

/** 1 for vertices that follow a bone of another limb than the chosen joint's, 0 for its own. */
export function apartFrom(info: FigureInfo, owners: Int32Array, joint: number, out: Float32Array): void {
  const beside = new Map<number, number[]>(info.joints.map((j) => [j.index, []]))
  for (const j of info.joints) {
    if (!beside.has(j.parent)) continue
    beside.get(j.parent)!.push(j.index)
    beside.get(j.index)!.push(j.parent)
  }
  const near = new Set([joint])
  for (let step = 0, edge = [joint]; step < NEAR; step++) {
    edge = edge.flatMap((k) => beside.get(k) ?? []).filter((k) => !near.has(k))
    edge.forEach((k) => near.add(k))
  }
  for (let v = 0; v < owners.length; v++) out[v] = owners[v] < 0 || near.has(owners[v]) ? 0 : 1
}
