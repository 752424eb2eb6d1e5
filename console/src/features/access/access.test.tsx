// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it } from 'vitest'
import { StubService, show } from '../../shared/testing/service'
import AccountPage from './AccountPage'
import { SignInPage } from './SignInPage'

let service: StubService

beforeEach(() => {
  service = new StubService().install()
})

describe('signing in', () => {
  it('sends what was typed, by the keyboard alone', async () => {
    const user = userEvent.setup()
    service.on('POST /session', { name: 'ines' })
    show(<SignInPage mustChange={false} />)

    // The password is asked for first: most people are known already.
    expect(document.activeElement).toBe(screen.getByLabelText('Password'))
    await user.keyboard('warp and weft{Enter}')
    await waitFor(() => expect(service.calls).toHaveLength(1))
    expect(service.calls[0]?.body).toEqual({ name: 'admin', password: 'warp and weft' })
  })

  it('says why it did not go, and lets one try again', async () => {
    const user = userEvent.setup()
    service.on(
      'POST /session',
      { code: 'wrong-password', detail: 'Name or password is wrong', mend: 'Try again' },
      401,
    )
    show(<SignInPage mustChange={false} />)

    await user.clear(screen.getByLabelText('Name'))
    await user.type(screen.getByLabelText('Name'), 'ines')
    await user.type(screen.getByLabelText('Password'), 'wrong')
    await user.click(screen.getByRole('button', { name: 'Sign in' }))
    expect(await screen.findByText(/Name or password is wrong/)).toBeTruthy()
    expect(screen.getByLabelText<HTMLInputElement>('Name').value).toBe('ines')
    expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Sign in' }).disabled).toBe(false)
  })

  it('asks for a new password in the place of a one-time one', async () => {
    const user = userEvent.setup()
    service.on('POST /session/password', {}).on('GET /session', { name: 'ines' })
    show(<SignInPage mustChange />)

    expect(screen.queryByLabelText('Name')).toBeNull()
    await user.type(screen.getByLabelText('The one-time password'), 'once')
    await user.click(screen.getByRole('button', { name: 'Set password' }))
    expect(service.made('POST')).toEqual([])

    await user.type(screen.getByLabelText('New password, 10 characters or more'), 'long enough')
    await user.click(screen.getByRole('button', { name: 'Set password' }))
    await waitFor(() =>
      expect(service.made('POST')).toEqual(['/session/password {"current":"once","next":"long enough"}']),
    )
  })
})

describe('tokens of an account', () => {
  const token = { id: 7, name: 'nightly', scope: 'read', createdAt: '2026-11-01T08:00:00Z' }

  it('are listed with what they may, and revoked only when asked twice', async () => {
    const user = userEvent.setup()
    service
      .on('GET /tokens', [{ ...token, expiresAt: '2027-02-01T08:00:00Z' }])
      .on('DELETE /tokens/7', undefined, 204)
    show(<AccountPage />)

    const row = within((await screen.findByText('nightly')).closest('tr')!)
    expect(row.getByText('read only')).toBeTruthy()
    expect(row.getByText('never')).toBeTruthy()
    await user.click(row.getByRole('button', { name: 'Revoke' }))
    expect(service.made('DELETE')).toEqual([])
    await user.click(row.getByRole('button', { name: 'Revoke it for good' }))
    await waitFor(() => expect(service.made('DELETE')).toHaveLength(1))
  })

  it('say why one cannot be revoked', async () => {
    const user = userEvent.setup()
    service
      .on('GET /tokens', [token])
      .on('DELETE /tokens/7', { code: 'not-found', detail: 'Token 7 is not there any more' }, 404)
    show(<AccountPage />)

    await user.click(await screen.findByRole('button', { name: 'Revoke' }))
    await user.click(screen.getByRole('button', { name: 'Revoke it for good' }))
    expect(await screen.findByText(/Token 7 is not there any more/)).toBeTruthy()
  })

  it('are shown once when they are made', async () => {
    const user = userEvent.setup()
    service.on('GET /tokens', []).on('POST /tokens', { secret: 'yrd-abc' })
    show(<AccountPage />)

    expect(await screen.findByText(/There is no token/)).toBeTruthy()
    await user.type(screen.getByLabelText('What the token is for'), 'loader')
    await user.click(screen.getByLabelText('may only read'))
    await user.click(screen.getByRole('button', { name: 'Make a token' }))
    expect(await screen.findByText('yrd-abc')).toBeTruthy()
    expect(service.made('POST')).toEqual(['/tokens {"name":"loader","scope":"read","days":90}'])
    expect(screen.getByLabelText<HTMLInputElement>('What the token is for').value).toBe('')
  })
})
