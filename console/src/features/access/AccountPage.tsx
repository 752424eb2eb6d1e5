import { useState, type FormEvent } from 'react'
import { time } from '../../shared/lib/format'
import { Card, Failed, Loading, Page } from '../../shared/ui/parts'
import { useMakeToken, useRevokeToken, useTokens } from './queries'

/** Tokens for programs. */
export default function AccountPage() {
  const tokens = useTokens()
  const make = useMakeToken()
  const revoke = useRevokeToken()
  const [name, setName] = useState('')
  const submit = (e: FormEvent) => {
    e.preventDefault()
    make.mutate(name, { onSuccess: () => setName('') })
  }
  return (
    <Page title="Account">
      <Card title="Tokens for programs">
        {tokens.isPending && <Loading what="tokens" />}
        {tokens.error && <Failed error={tokens.error} />}
        {tokens.data && (
          <table className="ledger">
            <thead>
              <tr>
                <th>name</th>
                <th>made</th>
                <th>last used</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {tokens.data.map((t) => (
                <tr key={t.id}>
                  <td>{t.name}</td>
                  <td className="font-mono text-[0.9em]">{time(t.createdAt)}</td>
                  <td className="font-mono text-[0.9em]">{time(t.usedAt) || 'never'}</td>
                  <td className="text-right">
                    <button className="btn btn-xs" onClick={() => revoke.mutate(t.id)}>
                      Revoke
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        <form onSubmit={submit} className="flex gap-2 p-3">
          <input
            className="input input-sm w-72"
            placeholder="What the token is for"
            value={name}
            onChange={(e) => setName(e.target.value)}
            required
            aria-label="What the token is for"
          />
          <button className="btn btn-primary btn-sm">Make a token</button>
        </form>
        {make.error && <Failed error={make.error} />}
        {make.data && (
          <p className="px-3 pb-3" role="status">
            The token, shown this once:{' '}
            <code className="rounded bg-base-200 px-2 py-1 font-mono select-all">{make.data.secret}</code>
          </p>
        )}
      </Card>
    </Page>
  )
}
