import { useState, type FormEvent } from 'react'
import { time } from '../../shared/lib/format'
import { Card, Failed, Loading, Page } from '../../shared/ui/parts'
import { Sure } from '../../shared/ui/Sure'
import { useMakeToken, useRevokeToken, useTokens } from './queries'

/** Tokens for programs. */
export default function AccountPage() {
  const tokens = useTokens()
  const make = useMakeToken()
  const revoke = useRevokeToken()
  const [name, setName] = useState('')
  const [reads, setReads] = useState(false)
  const [days, setDays] = useState(90)
  const submit = (e: FormEvent) => {
    e.preventDefault()
    make.mutate({ name, scope: reads ? 'read' : 'all', days }, { onSuccess: () => setName('') })
  }
  return (
    <Page title="Account">
      <Card title="Tokens for programs">
        {tokens.isPending && <Loading what="tokens" />}
        {tokens.error && <Failed error={tokens.error} />}
        {revoke.error && <Failed error={revoke.error} />}
        {tokens.data?.length === 0 && (
          <p className="quiet p-3">There is no token. Programs sign in with one, as the client does.</p>
        )}
        {tokens.data && tokens.data.length > 0 && (
          <table className="ledger">
            <thead>
              <tr>
                <th>name</th>
                <th>may</th>
                <th>ends</th>
                <th>made</th>
                <th>last used</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {tokens.data.map((t) => (
                <tr key={t.id}>
                  <td>{t.name}</td>
                  <td>{t.scope === 'read' ? 'read only' : 'read and change'}</td>
                  <td className="font-mono text-[0.9em]">{time(t.expiresAt)}</td>
                  <td className="font-mono text-[0.9em]">{time(t.createdAt)}</td>
                  <td className="font-mono text-[0.9em]">{time(t.usedAt) || 'never'}</td>
                  <td className="text-right">
                    <Sure
                      label="Revoke"
                      again="Revoke it for good"
                      small
                      disabled={revoke.isPending}
                      onSure={() => revoke.mutate(t.id)}
                    />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        <form onSubmit={submit} className="flex flex-wrap items-center gap-4 p-3">
          <input
            className="input input-sm w-72"
            placeholder="What the token is for"
            value={name}
            onChange={(e) => setName(e.target.value)}
            required
            aria-label="What the token is for"
          />
          <label className="flex items-center gap-2">
            good for
            <input
              className="input input-sm w-20 text-right font-mono"
              type="number"
              min={1}
              max={366}
              value={days}
              onChange={(e) => setDays(e.target.valueAsNumber)}
              required
            />
            days
          </label>
          <label className="flex items-center gap-2">
            <input
              className="checkbox checkbox-sm"
              type="checkbox"
              checked={reads}
              onChange={(e) => setReads(e.target.checked)}
            />
            may only read
          </label>
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
