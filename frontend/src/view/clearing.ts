/** What is looked at is seen: what stands between the eye and it fades. */
import type { Vector3 } from 'three'

/** What is looked at: a joint's place, and how far round it; nothing of another limb stands before it. */
export interface Clearing { at: Vector3; reach: number }

/** How far before a clearing what hides it ends, as a share of its reach. */
export const BEFORE = 0.6

/** Let what stands between the eye and a clearing fade, as a screen of dots: no sorting, and it is still seen to be there. */
export const FADE = {
  vertex: ['#include <begin_vertex>', `#include <begin_vertex>
    vApart = apart;
    vGone = gone;
    vPlace = (modelMatrix * vec4(transformed, 1.0)).xyz;`],
  fragment: ['#include <clipping_planes_fragment>', `#include <clipping_planes_fragment>
    if (vGone > 0.5) discard;
    if (clearReach > 0.0 && vApart > 0.5) {
      vec3 line = clearAt - cameraPosition;
      float away = length(line);
      float along = dot(vPlace - cameraPosition, line) / away;
      float beside = length(vPlace - cameraPosition - line * (along / away));
      vec2 dot_ = floor(gl_FragCoord.xy);
      if (along < away - ${BEFORE} * clearReach && beside < clearReach && mod(dot_.x + 2.0 * dot_.y, 5.0) > 0.5) discard;
    }`],
}
