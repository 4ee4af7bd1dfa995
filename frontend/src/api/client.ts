/** The typed client: one function a use case; every error is a `Problem` with a sentence for people. */
import { at, eachLine, http, jointAt, oneFile, PAGE, Problem, remedyAt, unwrap } from './http'
import type {
  Schemas, ClipPoint, CharacterState, FigureInfo, TriggerRule, HingeTrigger, DialRule, Knot, BendPoint, LibraryEntry, Brought, VertexWeight, WeightFinding, RangeInfo, Target, Point, Axis, Pose, Preset,
} from './types'

export { PAGE, Problem }
export * from './types'

export const api = {
  library: (removed = false): Promise<LibraryEntry[]> => unwrap(http.GET('/api/characters', { params: { query: { removed } } })),
  rename: (id: string, name: string): Promise<LibraryEntry> =>
    unwrap(http.PATCH('/api/characters/{character_id}', { params: at(id), body: { name } })),
  remove: (id: string): Promise<void> => unwrap(http.DELETE('/api/characters/{character_id}', { params: at(id) })),
  restore: (id: string): Promise<LibraryEntry> => unwrap(http.POST('/api/characters/{character_id}/restore', { params: at(id) })),
  erase: (id: string): Promise<void> => unwrap(http.POST('/api/characters/{character_id}/erase', { params: at(id) })),
  state: (id: string): Promise<CharacterState> => unwrap(http.GET('/api/characters/{character_id}', { params: at(id) })),
  figure: (id: string): Promise<FigureInfo> => unwrap(http.GET('/api/characters/{character_id}/figure', { params: at(id) })),
  mesh: (id: string): Promise<ArrayBuffer> =>
    unwrap(http.GET('/api/characters/{character_id}/mesh', { params: at(id), parseAs: 'arrayBuffer' })),
  surface: (id: string): Promise<Schemas['SurfaceInfo']> => unwrap(http.GET('/api/characters/{character_id}/surface', { params: at(id) })),
  surfaceMesh: (id: string): Promise<ArrayBuffer> =>
    unwrap(http.GET('/api/characters/{character_id}/surface/mesh', { params: at(id), parseAs: 'arrayBuffer' })),
  surfacePicture: (id: string, name: string) => `/api/characters/${id}/surface/pictures/${name}`,
  bend: (id: string, revision: string, joint: string, axis: Axis, angles: number[], pose: Pose, trial: string | null, signal: AbortSignal): Promise<BendPoint[]> =>
    unwrap(
      http.POST('/api/characters/{character_id}/bend', {
        params: at(id),
        body: { joint, axis, angles_deg: angles, pose, revision, trial },
        signal,
      }),
    ),
  clip: (id: string, clip: string, joint: string, samples: number, signal: AbortSignal): Promise<ClipPoint[]> =>
    unwrap(http.POST('/api/characters/{character_id}/clip', { params: at(id), body: { clip, joint, samples }, signal })),
  splitAcross: (id: string, joint: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/drawing/split', { params: at(id), body: { joint, part: null } })),
  startOrder: (id: string, body: Schemas['StartOrder']): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/drawing/order', { params: at(id), body })),
  posedDrawing: (id: string, pose: Pose): Promise<Blob> =>
    unwrap(http.POST('/api/characters/{character_id}/drawing/pose.svg', { params: at(id), body: { pose }, parseAs: 'blob' })) as unknown as Promise<Blob>,
  drawingFrame: (id: string, clip: string, number: number, width: number, signal: AbortSignal): Promise<ArrayBuffer> =>
    unwrap(http.GET('/api/characters/{character_id}/drawing/frame.png', { params: { ...at(id), query: { clip, number, width } }, parseAs: 'arrayBuffer', signal })) as unknown as Promise<ArrayBuffer>,
  keepPicture: (id: string, picture: Blob): Promise<void> =>
    unwrap(http.PUT('/api/characters/{character_id}/picture', { params: at(id), body: picture as never, bodySerializer: (b) => b as never })),
  stand: (id: string, up: 'y' | 'z'): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/joints/up', { params: at(id), body: { up } })),
  job: (id: string): Promise<Schemas['JobMessage']> => unwrap(http.GET('/api/jobs/{job_id}', { params: { path: { job_id: id } } })),
  takeOver: (id: string): Promise<void> => unwrap(http.POST('/api/characters/{character_id}/lease', { params: at(id) })),
  undo: (id: string): Promise<CharacterState> => unwrap(http.POST('/api/characters/{character_id}/undo', { params: at(id) })),
  redo: (id: string): Promise<CharacterState> => unwrap(http.POST('/api/characters/{character_id}/redo', { params: at(id) })),
  preset: (id: string, preset: Preset, start: number, end: number): Promise<Knot[]> =>
    unwrap(
      http.POST('/api/characters/{character_id}/response', {
        params: at(id),
        body: { preset, start_deg: start, end_deg: end },
      }),
    ),
  changeRemedy: (id: string, remedy: string, body: { name?: string; on?: boolean; amount?: number }): Promise<CharacterState> =>
    unwrap(
      http.PATCH('/api/characters/{character_id}/remedies/{remedy_id}', { params: remedyAt(id, remedy), body }),
    ),
  setTrigger: (id: string, remedy: string, trigger: TriggerRule | null, value?: string): Promise<CharacterState> =>
    unwrap(http.PUT('/api/characters/{character_id}/remedies/{remedy_id}/trigger', { params: remedyAt(id, remedy), body: { trigger, value } })),
  putTrigger: (id: string, trigger: TriggerRule): Promise<CharacterState> =>
    unwrap(http.PUT('/api/characters/{character_id}/triggers', { params: at(id), body: trigger })),
  putDial: (id: string, dial: DialRule): Promise<CharacterState> => unwrap(http.PUT('/api/characters/{character_id}/dials', { params: at(id), body: dial })),
  deleteDial: (id: string, dial: string): Promise<CharacterState> =>
    unwrap(http.DELETE('/api/characters/{character_id}/dials/{dial_id}', { params: { path: { character_id: id, dial_id: dial } } })),
  putGroup: (id: string, group: Schemas['GroupChange']): Promise<CharacterState> =>
    unwrap(http.PUT('/api/characters/{character_id}/groups', { params: at(id), body: group })),
  deleteGroup: (id: string, group: string): Promise<CharacterState> =>
    unwrap(http.DELETE('/api/characters/{character_id}/groups/{group_id}', { params: { path: { character_id: id, group_id: group } } })),
  joinGroup: (id: string, remedy: string, group: string | null): Promise<CharacterState> =>
    unwrap(http.PUT('/api/characters/{character_id}/remedies/{remedy_id}/group', { params: remedyAt(id, remedy), body: { value: group } })),
  storePose: (id: string, body: Schemas['StorePose']): Promise<Schemas['ProposedPoses']> =>
    unwrap(http.POST('/api/characters/{character_id}/pose-sets/proposal', { params: at(id), body })),
  poseMap: (id: string, set: string, joint: string, pose: Pose): Promise<Schemas['MapOfPoses']> =>
    unwrap(http.POST('/api/characters/{character_id}/pose-sets/{set_id}/map', { params: { path: { character_id: id, set_id: set } }, body: { joint, pose } })),
  deletePose: (id: string, set: string, pose: string): Promise<CharacterState> =>
    unwrap(http.DELETE('/api/characters/{character_id}/pose-sets/{set_id}/poses/{pose_id}', { params: { path: { character_id: id, set_id: set, pose_id: pose } } })),
  retime: (id: string, remedy: string, from: number, to: number): Promise<CharacterState> =>
    unwrap(http.PUT('/api/characters/{character_id}/remedies/{remedy_id}/targets', { params: remedyAt(id, remedy), body: { at: from, to } })),
  deleteTarget: (id: string, remedy: string, from: number): Promise<CharacterState> =>
    unwrap(http.DELETE('/api/characters/{character_id}/remedies/{remedy_id}/targets', { params: { ...remedyAt(id, remedy), query: { at: from } } })),
  ease: (id: string, remedy: string, eased: boolean): Promise<CharacterState> =>
    unwrap(http.PUT('/api/characters/{character_id}/remedies/{remedy_id}/eased', { params: remedyAt(id, remedy), body: { eased } })),
  deleteRemedy: (id: string, remedy: string): Promise<CharacterState> =>
    unwrap(
      http.DELETE('/api/characters/{character_id}/remedies/{remedy_id}', { params: remedyAt(id, remedy) }),
    ),
  beginSculpt: (id: string, pose: Pose, remedy: string | null, between = false): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/sculpt', { params: at(id), body: { pose, remedy_id: remedy, between } })),
  fitSculpt: (id: string, trigger: HingeTrigger): Promise<Schemas['FittedResponse']> =>
    unwrap(http.POST('/api/characters/{character_id}/sculpt/fit', { params: at(id), body: trigger })),
  fitRemedy: (id: string, remedy: string, trigger: HingeTrigger): Promise<Schemas['FittedResponse']> =>
    unwrap(http.POST('/api/characters/{character_id}/remedies/{remedy_id}/fit', { params: remedyAt(id, remedy), body: trigger })),
  /** Kinds that are tried one after the other: `tell` is called with all that was found so far. */
  whichKind: async (id: string, pose: Pose, joint: string, tell: (found: Schemas['KindsTried']) => void, signal: AbortSignal): Promise<void> => {
    const body = { params: at(id), body: { pose, joint }, parseAs: 'stream', signal } as const
    const stream = await unwrap<ReadableStream<Uint8Array>>(http.POST('/api/characters/{character_id}/proposals', body))
    await eachLine(stream, tell)
  },
  /** Step by step: `tell` is called with how far it has got; the last one is stored. */
  firstMend: async (id: string, body: Schemas['FirstMendBody'], tell: (now: Schemas['MendingNow']) => void, signal: AbortSignal): Promise<void> => {
    const asked = { params: at(id), body, parseAs: 'stream', signal } as const
    await eachLine(await unwrap<ReadableStream<Uint8Array>>(http.POST('/api/characters/{character_id}/sculpt/first-mend/steps', asked)), tell)
  },
  /** Round by round: `tell` is called with how far it has got; the last one is stored. */
  pushApart: async (id: string, joint: string, borderStays: boolean, tell: (now: Schemas['PushedApart']) => void, signal: AbortSignal): Promise<void> => {
    const body = { params: at(id), body: { joint, border_stays: borderStays }, parseAs: 'stream', signal } as const
    await eachLine(await unwrap<ReadableStream<Uint8Array>>(http.POST('/api/characters/{character_id}/sculpt/push-apart', body)), tell)
  },
  bringBack: (id: string, file: File): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/sculpt/obj', { params: at(id), ...oneFile(file) })),
  borderBack: (id: string): Promise<CharacterState> => unwrap(http.POST('/api/characters/{character_id}/sculpt/border-back', { params: at(id) })),
  takeKind: (id: string, kind: string, pose: Pose, joint: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/proposals/{kind}', { params: { path: { character_id: id, kind } }, body: { pose, joint } })),
  startHelper: (id: string, body: Schemas['StartHelper']): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/helpers/start', { params: at(id), body })),
  helperPath: (id: string, remedy: string, body: Schemas['PathRequest'], signal: AbortSignal): Promise<Schemas['PathOfHelper']> =>
    unwrap(http.POST('/api/characters/{character_id}/remedies/{remedy_id}/path', { params: remedyAt(id, remedy), body, signal })),
  addMasked: (id: string, kind: Schemas['AddMasked']['kind'], joint: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/masked', { params: at(id), body: { kind, joint } })),
  shareRoll: (id: string, body: Schemas['ShareRoll']): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/roll/share', { params: at(id), body })),
  keepDifference: (id: string, name: string, pose: Pose): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/difference', { params: at(id), body: { name, pose } })),
  takeShapes: (id: string, names: string[]): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/file-shapes', { params: at(id), body: { names } })),
  thin: (id: string, garment: string, depth: number): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/thin', { params: at(id), body: { garment, depth_m: depth } })),
  reshape: (id: string, remedy: string, body: Partial<Schemas['Reshape']> & Pick<Schemas['Reshape'], 'how'>): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/remedies/{remedy_id}/reshape', { params: remedyAt(id, remedy), body: body as Schemas['Reshape'] })),
  merge: (id: string, remedy: string, other: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/remedies/{remedy_id}/merge', { params: remedyAt(id, remedy), body: { other_id: other } })),
  moveRemedy: (id: string, remedy: string, place: number): Promise<CharacterState> =>
    unwrap(http.PUT('/api/characters/{character_id}/remedies/{remedy_id}/place', { params: remedyAt(id, remedy), body: { place } })),
  findings: (id: string, pose: Pose | null): Promise<Schemas['FindingInfo'][]> =>
    unwrap(http.POST('/api/characters/{character_id}/findings', { params: at(id), body: { pose } })),
  takeProposedRanges: (id: string): Promise<CharacterState> => unwrap(http.POST('/api/characters/{character_id}/joints/proposed-ranges', { params: at(id) })),
  sweep: (id: string): Promise<Schemas['SweepInfo']> => unwrap(http.GET('/api/characters/{character_id}/sweep', { params: at(id) })),
  startSweep: (id: string, first: string | null): Promise<Schemas['JobMessage']> =>
    unwrap(http.POST('/api/characters/{character_id}/sweep', { params: at(id), body: { first } })),
  acceptSpot: (id: string, spot: string, reason: string): Promise<void> =>
    unwrap(http.PUT('/api/characters/{character_id}/sweep/spots/{spot_id}/accepted', { params: { path: { character_id: id, spot_id: spot } }, body: { reason } })),
  reopenSpot: (id: string, spot: string): Promise<void> =>
    unwrap(http.DELETE('/api/characters/{character_id}/sweep/spots/{spot_id}/accepted', { params: { path: { character_id: id, spot_id: spot } } })),
  mendFinding: (id: string, remedy: string, kind: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/remedies/{remedy_id}/mend', { params: remedyAt(id, remedy), body: { kind } })),
  bringMotion: (id: string, file: File): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/motions', { params: at(id), ...oneFile(file) })),
  mapMotion: (id: string, name: string, mapping: Record<string, string | null>): Promise<CharacterState> =>
    unwrap(http.PUT('/api/characters/{character_id}/motions/{name}/mapping', { params: { path: { character_id: id, name } }, body: { mapping } })),
  deleteMotion: (id: string, name: string): Promise<CharacterState> =>
    unwrap(http.DELETE('/api/characters/{character_id}/motions/{name}', { params: { path: { character_id: id, name } } })),
  keepPose: (id: string, name: string, pose: Pose): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/poses', { params: at(id), body: { name, pose } })),
  forgetPose: (id: string, name: string): Promise<CharacterState> =>
    unwrap(http.DELETE('/api/characters/{character_id}/poses/{name}', { params: { path: { character_id: id, name } } })),
  mirroredPose: (id: string, pose: Pose): Promise<Pose> => unwrap(http.POST('/api/characters/{character_id}/mirrored-pose', { params: at(id), body: pose })),
  heldBack: (id: string): Promise<Schemas['HeldBack'][]> => unwrap(http.GET('/api/characters/{character_id}/sculpt/held-back', { params: at(id) })),
  giveWay: (id: string, remedy: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/sculpt/held-back/{remedy_id}', { params: remedyAt(id, remedy) })),
  tie: (id: string, remedy: string, value: string | null): Promise<CharacterState> =>
    unwrap(http.PUT('/api/characters/{character_id}/remedies/{remedy_id}/by', { params: remedyAt(id, remedy), body: { value } })),
  roll: (id: string, pose: Pose, joint: string): Promise<Schemas['RollAlong'] | null> =>
    unwrap(http.POST('/api/characters/{character_id}/roll', { params: at(id), body: { pose, joint } })),
  waterfall: (id: string, pose: Pose, joint: string): Promise<Schemas['WaterfallBar'][]> =>
    unwrap(http.POST('/api/characters/{character_id}/waterfall', { params: at(id), body: { pose, joint } })),
  contributions: (id: string, pose: Pose): Promise<Schemas['Contribution'][]> =>
    unwrap(http.POST('/api/characters/{character_id}/contributions', { params: at(id), body: { pose } })),
  setBody: (id: string, remedy: string, body: Schemas['BodyChange']): Promise<CharacterState> =>
    unwrap(http.PUT('/api/characters/{character_id}/remedies/{remedy_id}/body', { params: remedyAt(id, remedy), body })),
  setMask: (id: string, remedy: string, how: Schemas['MaskChange']['how'], name = ''): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/remedies/{remedy_id}/mask', { params: remedyAt(id, remedy), body: { how, name } })),
  bake: (id: string, remedy: string, body: Schemas['BakeRequest']): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/remedies/{remedy_id}/bake', { params: remedyAt(id, remedy), body })),
  addBetween: (id: string, remedy: string, angle: number): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/remedies/{remedy_id}/between', { params: remedyAt(id, remedy), body: { angle_deg: angle } })),
  freeTwin: (id: string, remedy: string): Promise<CharacterState> =>
    unwrap(http.DELETE('/api/characters/{character_id}/remedies/{remedy_id}/twin', { params: remedyAt(id, remedy) })),
  makeTwins: (id: string): Promise<CharacterState> => unwrap(http.POST('/api/characters/{character_id}/twins', { params: at(id) })),
  makeTwin: (id: string, remedy: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/remedies/{remedy_id}/twin', { params: remedyAt(id, remedy) })),
  proposal: (id: string): Promise<HingeTrigger> =>
    unwrap(http.GET('/api/characters/{character_id}/sculpt/proposal', { params: at(id) })),
  keepSculpt: (id: string, name: string, trigger: TriggerRule | null, value?: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/sculpt/keep', { params: at(id), body: { name, trigger, value } })),
  clipLoss: (id: string, bake: string): Promise<Schemas['LossOfClip']> =>
    unwrap(http.GET('/api/characters/{character_id}/delivery/clip', { params: { ...at(id), query: { bake } } })),
  deliveryLimit: (id: string, influences: number): Promise<Schemas['LimitShift']> =>
    unwrap(http.GET('/api/characters/{character_id}/delivery/limit', { params: { path: { character_id: id }, query: { influences } } })),
  automaticWeights: (id: string, body: Schemas['AutomaticWeights']): Promise<Schemas['JobMessage']> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/automatic', { params: at(id), body })),
  past: (id: string): Promise<Schemas['PastInfo']> => unwrap(http.GET('/api/characters/{character_id}/past', { params: at(id) })),
  nameState: (id: string, name: string): Promise<Schemas['PastInfo']> => unwrap(http.POST('/api/characters/{character_id}/past/named', { params: at(id), body: { name } })),
  unnameState: (id: string, named: string): Promise<Schemas['PastInfo']> =>
    unwrap(http.DELETE('/api/characters/{character_id}/past/named/{named_id}', { params: { path: { character_id: id, named_id: named } } })),
  goBack: (id: string, named: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/past/named/{named_id}/back', { params: { path: { character_id: id, named_id: named } } })),
  thinPast: (id: string, keep: number): Promise<Schemas['Thinned']> => unwrap(http.POST('/api/characters/{character_id}/past/thin', { params: at(id), body: { keep } })),
  keepPictureOfState: (id: string, named: string, picture: Blob): Promise<void> =>
    unwrap(http.PUT('/api/characters/{character_id}/past/named/{named_id}/picture', { params: { path: { character_id: id, named_id: named } }, body: picture as never, bodySerializer: (b) => b as never })),
  pictureOfState: (id: string, named: string) => `/api/characters/${id}/past/named/${named}/picture`,
  takeJob: (job: string): Promise<CharacterState> => unwrap(http.POST('/api/jobs/{job_id}/take', { params: { path: { job_id: job } } })),
  cancelJob: (job: string): Promise<void> => unwrap(http.DELETE('/api/jobs/{job_id}', { params: { path: { job_id: job } } })),
  weightFindings: (id: string): Promise<WeightFinding[]> =>
    unwrap(http.GET('/api/characters/{character_id}/bind/findings', { params: at(id) })),
  mendWeights: (id: string, body: Schemas['MendWeights']): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/mend', { params: at(id), body })),
  give: (id: string, target: Target, joint: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/give', { params: at(id), body: { target, joint } })),
  copyWeights: (id: string, body: Schemas['CopyWeights']): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/copy', { params: at(id), body })),
  fill: (id: string, body: Schemas['FillWeights']): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/fill', { params: at(id), body })),
  evenOut: (id: string, joint: string, mirror: boolean): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/even', { params: at(id), body: { joint, mirror } })),
  pick: (id: string, body: Schemas['PickInPose']): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/regions/pick', { params: at(id), body })),
  reshapeRegion: (id: string, how: Schemas['ReshapeRegion']['how'], width = 0.05): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/regions/reshape', { params: at(id), body: { how, width_m: width } })),
  keepRegion: (id: string, name: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/regions', { params: at(id), body: { name } })),
  deleteRegion: (id: string, name: string): Promise<CharacterState> =>
    unwrap(http.DELETE('/api/characters/{character_id}/bind/regions/{name}', { params: { path: { character_id: id, name } } })),
  regionShares: async (id: string, region: string): Promise<Float32Array> =>
    new Float32Array(await unwrap<ArrayBuffer>(http.GET('/api/characters/{character_id}/bind/regions/shares', { params: { ...at(id), query: { region } }, parseAs: 'arrayBuffer' }))),
  subdivision: (id: string): Promise<ArrayBuffer> => unwrap(http.GET('/api/characters/{character_id}/subdivision', { params: at(id), parseAs: 'arrayBuffer' })),
  twins: async (id: string): Promise<Int32Array> =>
    new Int32Array(await unwrap<ArrayBuffer>(http.GET('/api/characters/{character_id}/bind/twins', { params: at(id), parseAs: 'arrayBuffer' }))),
  takeWeights: (id: string, file: File): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/weights', { params: at(id), ...oneFile(file) })),
  ranges: (): Promise<RangeInfo[]> => unwrap(http.GET('/api/ranges')),
  markers: (id: string): Promise<Record<string, Point>> =>
    unwrap(http.GET('/api/characters/{character_id}/joints/markers', { params: at(id) })),
  laySkeleton: (id: string, markers: Record<string, Point>, twists: number): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/joints/template', { params: at(id), body: { markers, twists } })),
  mirrorJoints: (id: string, fromLeft: boolean): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/joints/mirror', { params: at(id), body: { from_left: fromLeft } })),
  makeJoint: (id: string, body: Schemas['MakeJoint']): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/joints', { params: at(id), body })),
  placeJoint: (id: string, joint: string, body: Schemas['PlaceJoint']): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/joints/{joint}/place', { params: jointAt(id, joint), body })),
  turnJoint: (id: string, joint: string, byDeg: Point, mirror: boolean): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/joints/{joint}/turn', { params: jointAt(id, joint), body: { by_deg: byDeg, mirror } })),
  aimJoint: (id: string, joint: string, mirror: boolean): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/joints/{joint}/aim', { params: jointAt(id, joint), body: { mirror } })),
  renameJoint: (id: string, joint: string, name: string, mirror: boolean): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/joints/{joint}/name', { params: jointAt(id, joint), body: { name, mirror } })),
  hangJoint: (id: string, joint: string, parent: string | null, mirror: boolean): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/joints/{joint}/parent', { params: jointAt(id, joint), body: { parent, mirror } })),
  setHinge: (id: string, joint: string, body: Schemas['SetHinge']): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/joints/{joint}/hinge', { params: jointAt(id, joint), body })),
  setRange: (id: string, joint: string, preset: string, mirror: boolean): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/joints/{joint}/range', { params: jointAt(id, joint), body: { preset, mirror } })),
  insertTwists: (id: string, joint: string, count: number, mirror: boolean): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/joints/{joint}/twists', { params: jointAt(id, joint), body: { count, mirror } })),
  deleteJoint: (id: string, joint: string, mirror: boolean, remedies: boolean): Promise<CharacterState> =>
    unwrap(http.DELETE('/api/characters/{character_id}/joints/{joint}', { params: { ...jointAt(id, joint), query: { mirror, remedies } } })),
  vertexWeights: (id: string, vertex: number): Promise<VertexWeight[]> =>
    unwrap(http.GET('/api/characters/{character_id}/bind/vertices/{vertex}', { params: { path: { character_id: id, vertex } } })),
  setWeight: (id: string, vertex: number, body: Schemas['SetWeight']): Promise<CharacterState> =>
    unwrap(http.PUT('/api/characters/{character_id}/bind/vertices/{vertex}', { params: { path: { character_id: id, vertex } }, body })),
  mirrorWeights: (id: string, fromLeft: boolean): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/mirror', { params: at(id), body: { from_left: fromLeft } })),
  dropSculpt: (id: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/sculpt/drop', { params: at(id) })),
}

/** Bring in files, with progress from 0 to 1 and a way to cancel. */
export function bringIn(files: File[], scene: string, progress: (share: number) => void, signal: AbortSignal): Promise<Brought> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    const form = new FormData()
    for (const file of files) form.append('files', file, file.name)
    request.open('POST', `/api/characters${scene ? `?scene=${encodeURIComponent(scene)}` : ''}`)
    request.responseType = 'json'
    request.upload.onprogress = (e) => e.lengthComputable && progress(e.loaded / e.total)
    request.onload = () => {
      if (request.status === 201) resolve(request.response as Brought)
      else reject(new Problem(request.response?.detail ?? 'The file could not be brought in.', request.response?.type, request.response?.scenes))
    }
    request.onerror = () => reject(new Problem('The server does not answer. Nothing was brought in.'))
    request.onabort = () => reject(new DOMException('Cancelled', 'AbortError'))
    signal.addEventListener('abort', () => request.abort())
    request.send(form)
  })
}

export const weightsAddress = (id: string) => `/api/characters/${id}/bind/weights.json`

export function deliveryAddress(id: string, bake: string | null, influences: number): string {
  const query = bake ? `&bake=${encodeURIComponent(bake)}` : ''
  return `/api/characters/${id}/delivery.glb?influences=${influences}${query}`
}

/** Where a clip of a drawing is fetched from, as an animated SVG or a Lottie file. */
export const drawnClipAddress = (id: string, kind: 'svg' | 'json', clip: string): string => `/api/characters/${id}/drawing/clip.${kind}?clip=${encodeURIComponent(clip)}`
