/** The cards of remedies and the editors of triggers, by kind: a new kind is one more line here. */
import { defineAsyncComponent, type Component } from 'vue'
import type { RemedyCard, TriggerRule } from '@/api/client'
import HingeEditor from './HingeEditor.vue'

export const triggerEditors: Partial<Record<TriggerRule['kind'], Component>> = { hinge: HingeEditor }

const skin = defineAsyncComponent(() => import('./SkinCard.vue'))
export const remedyCards: Record<RemedyCard['kind'], Component> = {
  corrective: defineAsyncComponent(() => import('./CorrectiveCard.vue')),
  helper: skin,
  skin_blend: skin,
  relaxer: skin,
}
