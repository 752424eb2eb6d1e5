import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, ask, type Schemas } from '../../shared/api/client'

const pipelineKeys = {
  list: ['pipelines'] as const,
  detail: (name: string) => ['pipeline', name] as const,
  check: (text: string) => ['pipeline-check', text] as const,
}

/** What steps there are, for completion. */
export function useStepCatalog() {
  return useQuery({
    queryKey: ['steps'],
    queryFn: () => ask(api.GET('/api/v1/steps')),
    staleTime: Infinity,
  })
}

/** Parts that a pipeline may use, with what they take in. */
export function useParts() {
  return useQuery({ queryKey: ['parts'], queryFn: () => ask(api.GET('/api/v1/parts')) })
}

export function usePipelines() {
  return useQuery({
    queryKey: pipelineKeys.list,
    queryFn: () => ask(api.GET('/api/v1/pipelines')),
    refetchInterval: 5000,
  })
}

export function usePipeline(name: string) {
  return useQuery({
    queryKey: pipelineKeys.detail(name),
    queryFn: () => ask(api.GET('/api/v1/pipelines/{name}', { params: { path: { name } } })),
    enabled: name !== '',
  })
}

/** The pipeline as somebody else has kept it meanwhile. */
export function usePipelineNow(name: string, enabled: boolean) {
  return useQuery({
    queryKey: ['pipeline-now', name],
    queryFn: () => ask(api.GET('/api/v1/pipelines/{name}', { params: { path: { name } } })),
    enabled,
    gcTime: 0,
  })
}

/** Goes on from what somebody else has kept. */
export function useTakeKept() {
  const queries = useQueryClient()
  return (kept: Schemas['PipelineDetail']) =>
    queries.setQueryData(pipelineKeys.detail(kept.summary.name), kept)
}

/** What the service says of a text, without keeping it. */
export function usePipelineCheck(text: string | undefined) {
  return useQuery({
    queryKey: pipelineKeys.check(text ?? ''),
    queryFn: () => ask(api.POST('/api/v1/pipelines/check', { body: { text: text ?? '' } })),
    enabled: text !== undefined,
    placeholderData: (before) => before,
    gcTime: 60_000,
  })
}

export function useSavePipeline() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: ({ name, text, basedOn }: { name: string; text: string; basedOn?: number }) =>
      ask(api.PUT('/api/v1/pipelines/{name}', { params: { path: { name } }, body: { text, basedOn } })),
    onSuccess: (saved) => {
      queries.setQueryData(pipelineKeys.detail(saved.summary.name), saved)
      queries.invalidateQueries({ queryKey: pipelineKeys.list })
    },
  })
}

export function useRunPipeline() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (name: string) =>
      ask(api.POST('/api/v1/pipelines/{name}/runs', { params: { path: { name } }, body: {} })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['runs'] }),
  })
}

export type SourceAmounts = Record<string, { rows?: number; share?: number; files?: string; where?: string }>

/** How much is read for a look at a step. */
export type Reading = { whole: boolean; where: string; sources: SourceAmounts }

export const FIRST_ROWS: Reading = { whole: false, where: '', sources: {} }

/** Rows of a step of a text, as it stands; `undefined` for no step. */
export function useStepRows(text: string, step: string | undefined, reading: Reading, compared: boolean) {
  return useQuery({
    queryKey: ['step-rows', text, step, reading, compared],
    queryFn: ({ signal }) =>
      ask(
        api.POST('/api/v1/pipelines/preview', {
          body: {
            text,
            step: step ?? '',
            rows: 200,
            whole: reading.whole || undefined,
            where: reading.where || undefined,
            sources: reading.sources,
            compared,
          },
          signal,
        }),
      ),
    enabled: step !== undefined,
    placeholderData: (before) => (before?.step === step ? before : undefined),
    retry: false,
    staleTime: 60_000,
  })
}

/** The first values of expressions over the rows that come into a step. */
export function useExpressionValues(text: string, step: string, expressions: string[]) {
  return useQuery({
    queryKey: ['expression-values', text, step, expressions],
    queryFn: ({ signal }) =>
      ask(api.POST('/api/v1/pipelines/preview/values', { body: { text, step, expressions }, signal })),
    enabled: expressions.some((e) => e.trim() !== ''),
    retry: false,
    staleTime: 60_000,
  })
}

/** What a step's columns hold. */
export function useStepProfile(text: string, step: string, reading: Reading) {
  return useQuery({
    queryKey: ['step-profile', text, step, reading],
    queryFn: ({ signal }) =>
      ask(
        api.POST('/api/v1/pipelines/profile', {
          body: { text, step, whole: reading.whole || undefined, sources: reading.sources },
          signal,
        }),
      ),
    retry: false,
    staleTime: 60_000,
  })
}

/** Does all that a run does but publish. */
export function useTrial() {
  return useMutation({
    mutationFn: ({ text }: { text: string }) => ask(api.POST('/api/v1/pipelines/trial', { body: { text } })),
  })
}

type StepToAdd = {
  text: string
  verb: string
  behind?: string
  readers?: string[]
  body?: string
  other?: string
}

/** A text with a step put in. */
export function useAddStep() {
  return useMutation({
    mutationFn: (body: StepToAdd) => ask(api.POST('/api/v1/pipelines/edit/add', { body })),
  })
}

/** A text without a step. */
export function useRemoveStep() {
  return useMutation({
    mutationFn: (body: { text: string; step: string }) =>
      ask(api.POST('/api/v1/pipelines/edit/remove', { body })),
  })
}

/** A text without some steps; those that read them read what they read. */
export function useCutSteps() {
  return useMutation({
    mutationFn: async (body: { text: string; steps: string[] }) => {
      let text = body.text
      for (const step of body.steps) {
        text = (await ask(api.POST('/api/v1/pipelines/edit/remove', { body: { text, step } }))).text
      }
      return text
    },
  })
}

/** A text with another name for a step. */
export function useRenameStep() {
  return useMutation({
    mutationFn: (body: { text: string; step: string; name: string }) =>
      ask(api.POST('/api/v1/pipelines/edit/rename', { body })),
  })
}

/** What a step of a text says, for its form. */
export function useStepFields(text: string, step: string) {
  return useQuery({
    queryKey: ['step-fields', text, step],
    queryFn: ({ signal }) => ask(api.POST('/api/v1/pipelines/edit/fields', { body: { text, step }, signal })),
    placeholderData: (before, query) => (query?.queryKey[2] === step ? before : undefined),
    retry: false,
    staleTime: 60_000,
  })
}

/** A text with another value of a field of a step. */
export function useSetField() {
  return useMutation({
    mutationFn: (body: { text: string; step: string; field: string[]; value?: unknown; source?: string }) =>
      ask(api.POST('/api/v1/pipelines/edit/set', { body: body as never })),
  })
}

/** A text with a step at another place of the flow. */
export function useMoveStep() {
  return useMutation({
    mutationFn: (body: { text: string; step: string; behind: string; readers?: string[] }) =>
      ask(api.POST('/api/v1/pipelines/edit/move', { body })),
  })
}

/** A text with steps that come as plain text; nothing is kept, so that it can be shown first. */
export function usePaste(
  text: string,
  steps: string,
  behind: string | undefined,
  inputs: Record<string, string>,
) {
  return useQuery({
    queryKey: ['paste', text, steps, behind, inputs],
    queryFn: ({ signal }) =>
      ask(api.POST('/api/v1/pipelines/edit/paste', { body: { text, steps, behind, inputs }, signal })),
    enabled: steps.trim() !== '',
    placeholderData: (before) => before,
    retry: false,
  })
}

/** The same at once. */
export function usePasteNow() {
  return useMutation({
    mutationFn: (body: { text: string; steps: string; behind?: string }) =>
      ask(api.POST('/api/v1/pipelines/edit/paste', { body })),
  })
}

/** The tests that are kept of a pipeline. */
export function usePipelineTests(pipeline: string) {
  return useQuery({
    queryKey: ['tests', pipeline],
    queryFn: () => ask(api.GET('/api/v1/tests', { params: { query: { of: pipeline } } })),
  })
}

/** Runs a pipeline's tests against a text of it. */
export function useRunTests() {
  return useMutation({
    mutationFn: (body: { of: string; pipeline: string }) => ask(api.POST('/api/v1/tests/run', { body })),
  })
}

/** Makes a test of a step's rows as they are, and keeps it. */
export function useKeepAsTest() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async ({ text, step, sources }: { text: string; step: string; sources: SourceAmounts }) => {
      const name = `${step.replaceAll('_', '-')}-rows`
      const made = await ask(
        api.POST('/api/v1/pipelines/preview/test', { body: { text, step, name, sources } }),
      )
      return ask(api.PUT('/api/v1/tests/{name}', { params: { path: { name } }, body: { text: made.text } }))
    },
    onSuccess: (kept) => queries.invalidateQueries({ queryKey: ['tests', kept.of] }),
  })
}

/** Steps worth keeping, of everybody and one's own. */
export function useShelf() {
  return useQuery({ queryKey: ['shelf'], queryFn: () => ask(api.GET('/api/v1/shelf')) })
}

export function useKeepOnShelf() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: ({ name, ...body }: { name: string; about: string; steps: string; mine: boolean }) =>
      ask(api.PUT('/api/v1/shelf/{name}', { params: { path: { name } }, body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['shelf'] }),
  })
}

export function useTakeOffShelf() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (name: string) => ask(api.DELETE('/api/v1/shelf/{name}', { params: { path: { name } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['shelf'] }),
  })
}
