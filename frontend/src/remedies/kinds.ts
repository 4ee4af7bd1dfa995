/** The cards of remedies and the editors of triggers, by kind: a new kind is one more line here. */
import { defineAsyncComponent, type Component } from 'vue'
import type { RemedyCard, TriggerRule } from '@/api/client'
import HingeEditor from './HingeEditor.vue'

export const triggerEditors: Record<TriggerRule['kind'], Component> = {
  hinge: HingeEditor,
  pose_set: defineAsyncComponent(() => import('./PoseSetEditor.vue')),
  product: defineAsyncComponent(() => import('./ProductEditor.vue')),
  dial: defineAsyncComponent(() => import('./DialEditor.vue')),
}

const masked = defineAsyncComponent(() => import('./MaskedCard.vue'))
export const remedyCards: Record<RemedyCard['kind'], Component> = {
  corrective: defineAsyncComponent(() => import('./CorrectiveCard.vue')),
  helper: defineAsyncComponent(() => import('./HelperCard.vue')),
  skin_blend: masked,
  relaxer: masked,
  volume_keeper: masked,
  order: defineAsyncComponent(() => import('./OrderCard.vue')),
}

/** What each kind is called, also where it is only tried. */
export const kindNames: Record<string, string> = {
  corrective: 'Corrective',
  twist: 'Twist joints',
  helper: 'Helper joint',
  hem: 'Hem pusher',
  blend_and_corrective: 'Blend and corrective',
  skin_blend: 'Skin blend',
  relaxer: 'Relaxer',
  volume_keeper: 'Volume keeper',
  order: 'Order of painting',
}
