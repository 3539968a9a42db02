import { render, screen } from '@testing-library/react'
import { expect, test, vi } from 'vitest'
import { Broken } from './Broken'

function Room({ breaks }: { breaks: boolean }) {
  if (breaks) throw new Error('no hide')
  return <p>the room</p>
}
const shown = (at: string, breaks: boolean) => (
  <>
    <nav>the rooms</nav>
    <Broken at={at}>
      <Room breaks={breaks} />
    </Broken>
  </>
)

test('a room that breaks leaves the frame standing, and another may be opened', () => {
  vi.spyOn(console, 'error').mockImplementation(() => undefined)
  const { rerender } = render(shown('/lay/1', true))
  expect(screen.getByRole('alert').textContent).toContain('no hide')
  expect(screen.getByText('the rooms')).toBeTruthy()
  rerender(shown('/lay/1', false))
  expect(screen.queryByText('the room')).toBeNull()
  rerender(shown('/cut', false))
  expect(screen.getByText('the room')).toBeTruthy()
})
