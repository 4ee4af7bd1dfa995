/** What is looked at is seen: what stands between the eye and it fades. */
import type { Vector3 } from 'three'

/** What is looked at: a joint's place, and how far round it; nothing of another limb stands before it. */
export interface Clearing { at: Vector3; reach: number }

/** How far before a clearing what hides it ends, as a share of its reach. */
export const BEFORE = 0.6

/** How much of what has faded is still seen. */
export const FAINT = 0.16

interface Shader { vertexShader: string; fragmentShader: string }

/**
 * Let what stands between the eye and a clearing fade. It is drawn in two turns: first what is solid, then, over it and
 * without hiding what lies behind, the faded rest as a `mist`.
 */
export function fade(shader: Shader, mist: boolean): void {
  shader.vertexShader = `attribute float apart; attribute float gone; varying float vApart; varying float vGone; varying vec3 vPlace;\n${shader.vertexShader.replace('#include <begin_vertex>', `#include <begin_vertex>
    vApart = apart;
    vGone = gone;
    vPlace = (modelMatrix * vec4(transformed, 1.0)).xyz;`)}`
  shader.fragmentShader = `uniform vec3 clearAt; uniform float clearReach; varying float vApart; varying float vGone; varying vec3 vPlace;\n${shader.fragmentShader.replace('#include <clipping_planes_fragment>', `#include <clipping_planes_fragment>
    if (vGone > 0.5) discard;
    float faded_ = 0.0;
    if (clearReach > 0.0 && vApart > 0.5) {
      vec3 line = clearAt - cameraPosition;
      float away = length(line);
      float along = dot(vPlace - cameraPosition, line) / away;
      float beside = length(vPlace - cameraPosition - line * (along / away));
      if (along < away - ${BEFORE} * clearReach && beside < clearReach) faded_ = 1.0;
    }
    if (faded_ ${mist ? '<' : '>'} 0.5) discard;`)}`
}
