import { useState, type FormEvent } from 'react'
import { Failed } from '../../shared/ui/parts'
import { useChangePassword, useSignIn } from './queries'

/** Asks for name and password; and, after a one-time password, for a new one. */
export function SignInPage({ mustChange }: { mustChange: boolean }) {
  const [name, setName] = useState('admin')
  const [password, setPassword] = useState('')
  const [next, setNext] = useState('')
  const signIn = useSignIn()
  const change = useChangePassword()
  const submit = (e: FormEvent) => {
    e.preventDefault()
    if (mustChange) {
      change.mutate({ current: password, next })
    } else {
      signIn.mutate({ name, password })
    }
  }
  const error = mustChange ? change.error : signIn.error
  return (
    <main className="rail flex min-h-screen items-center justify-center">
      <form onSubmit={submit} className="card-paper w-96 p-8 text-base-content">
        <h1 className="mb-1 text-3xl font-semibold">Yardage</h1>
        <p className="quiet mb-5">
          {mustChange
            ? 'The one-time password is used up. Choose a new one.'
            : 'From raw files to trusted tables.'}
        </p>
        {error && <Failed error={error} />}
        {!mustChange && (
          <label className="mb-3 block">
            Name
            <input
              className="input mt-1 w-full"
              value={name}
              onChange={(e) => setName(e.target.value)}
              autoComplete="username"
              required
            />
          </label>
        )}
        <label className="mb-3 block">
          {mustChange ? 'The one-time password' : 'Password'}
          <input
            className="input mt-1 w-full"
            type="password"
            value={password}
            onChange={(e) => setPassword(e.target.value)}
            autoComplete="current-password"
            required
            autoFocus
          />
        </label>
        {mustChange && (
          <label className="mb-3 block">
            New password, 10 characters or more
            <input
              className="input mt-1 w-full"
              type="password"
              value={next}
              onChange={(e) => setNext(e.target.value)}
              autoComplete="new-password"
              minLength={10}
              required
            />
          </label>
        )}
        <button className="btn btn-primary mt-2 w-full" disabled={signIn.isPending || change.isPending}>
          {mustChange ? 'Set password' : 'Sign in'}
        </button>
      </form>
    </main>
  )
}
