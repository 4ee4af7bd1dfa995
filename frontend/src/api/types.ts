/** What the server tells and takes, by short names. */
import type { components } from './schema'

export type Schemas = components['schemas']
export type ClipPoint = Schemas['ClipPoint']
export type CharacterState = Schemas['CharacterState']
export type FigureInfo = Schemas['FigureInfo']
export type JointInfo = Schemas['JointInfo']
export type RemedyCard = Schemas['RemedyCard']
export type TriggerRule = NonNullable<RemedyCard['trigger']>
export type HingeTrigger = Schemas['HingeTriggerRule']
/** A dial as it is told: with all its numbers. */
export type DialRule = Schemas['DialRule'] & Required<Pick<Schemas['DialRule'], 'low' | 'high' | 'start'>>
export type PoseSet = Schemas['PoseSetRule']
export type Knot = Schemas['Knot']
export type BendPoint = Schemas['BendPoint']
export type LibraryEntry = Schemas['LibraryEntry']
export type Brought = Schemas['Brought']
export type VertexWeight = Schemas['VertexWeight']
export type WeightFinding = Schemas['WeightFinding']
export type RangeInfo = Schemas['RangeInfo']
export type RegionInfo = Schemas['RegionInfo']
export type Target = Schemas['VertexChoice']
export type PickBody = Schemas['PickInPose']
export type Point = [number, number, number]
export type Axis = [number, number, number]
export type Quaternion = [number, number, number, number]
export type Joints = Record<string, Quaternion>
export type Pose = Schemas['PoseBody']
export type Preset = Schemas['PresetRequest']['preset']
