import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex } from '@noble/hashes/utils.js'
import { api, ask, ServiceError } from '../../shared/api/client'

const PART_BYTES = 4 << 20
const MOST_TRIES = 6

export type IfThere = 'ask' | 'replace' | 'keep-both' | 'skip'

/** How long to wait before try number {@link tries}, in milliseconds. */
export function pauseMillis(tries: number): number {
  return Math.min(10_000, 300 * 2 ** tries)
}

/** A name as the inbox takes it: control characters and leading dots are taken off. */
export function inboxPath(folder: string, name: string): string {
  const clean = name.replace(/[\u0000-\u001f\u007f\\/]/g, '_').replace(/^\.+/, '')
  const at = folder.replace(/^\/+|\/+$/g, '')
  return at ? `${at}/${clean}` : clean
}

/**
 * Sends a file in parts and gives where it is then; nothing when it was skipped. A part that breaks
 * off is sent again from where it broke. The hash is made of the bytes as they are sent.
 */
export async function upload(
  file: File,
  path: string,
  ifThere: IfThere,
  onProgress: (sent: number) => void,
): Promise<string | undefined> {
  const begun = await ask(api.POST('/api/v1/uploads', { body: { path, sizeBytes: file.size, ifThere } }))
  const hash = sha256.create()
  let hashed = 0
  let offset = 0
  let tries = 0
  while (offset < file.size) {
    const part = new Uint8Array(await file.slice(offset, offset + PART_BYTES).arrayBuffer())
    if (offset + part.length > hashed) {
      hash.update(part.subarray(hashed - offset))
      hashed = offset + part.length
    }
    try {
      const state = await ask(
        api.PUT('/api/v1/uploads/{id}', {
          params: { path: { id: begun.id }, query: { offset } },
          headers: { 'Content-Type': 'application/octet-stream' },
          body: part as never,
          bodySerializer: (b: unknown) => b as BodyInit,
        }),
      )
      offset = state.arrived
      tries = 0
    } catch (e) {
      if (e instanceof ServiceError && e.code !== 'wrong-offset' && e.status < 500) {
        throw e
      }
      if (++tries === MOST_TRIES) {
        throw e
      }
      await new Promise((resolve) => setTimeout(resolve, pauseMillis(tries)))
      const state = await ask(api.GET('/api/v1/uploads/{id}', { params: { path: { id: begun.id } } })).catch(
        () => undefined,
      )
      offset = state?.arrived ?? offset
    }
    onProgress(offset)
  }
  const done = await ask(
    api.POST('/api/v1/uploads/{id}/finish', {
      params: { path: { id: begun.id } },
      body: { sha256: bytesToHex(hash.digest()) },
    }),
  )
  return done.path
}
