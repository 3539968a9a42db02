import { render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import { AskProvider, useAsk } from './Asking'

function Room({ onAnswer }: { onAnswer: (answer: unknown) => void }) {
  const ask = useAsk()
  return (
    <>
      <button
        type="button"
        onClick={async () => {
          onAnswer(
            await ask.sure({
              title: 'Give B-31 up?',
              words: 'Its leather is free.',
              go: 'Give it up',
            }),
          )
        }}
      >
        give up
      </button>
      <button
        type="button"
        onClick={async () => {
          onAnswer(
            await ask.words({
              title: 'Order it again',
              label: 'The number',
              text: 'B-31 again',
              go: 'Order it',
            }),
          )
        }}
      >
        order
      </button>
    </>
  )
}

test('nothing goes on before somebody says so, by pointer or by keys', async () => {
  const answers: unknown[] = []
  const user = userEvent.setup()
  render(
    <AskProvider>
      <Room onAnswer={(a) => answers.push(a)} />
    </AskProvider>,
  )
  await user.click(screen.getByText('give up'))
  expect(screen.getByRole('alertdialog', { name: 'Give B-31 up?' })).toBeTruthy()
  await user.keyboard('{Escape}')
  await user.click(screen.getByText('give up'))
  await user.click(screen.getByRole('button', { name: 'Cancel' }))
  await user.click(screen.getByText('give up'))
  await user.click(screen.getByRole('button', { name: 'Give it up' }))
  expect(answers).toEqual([false, false, true])
  await user.click(screen.getByText('order'))
  const field = screen.getByRole('textbox')
  expect(document.activeElement, 'what is typed goes into the field at once').toBe(field)
  await user.clear(field)
  expect(screen.getByRole('button', { name: 'Order it' })).toHaveProperty('disabled', true)
  await user.keyboard(' B-40 {Enter}')
  expect(answers.at(-1)).toBe('B-40')
  await user.click(screen.getByText('order'))
  await user.keyboard('{Escape}')
  expect(answers.at(-1)).toBeNull()
})
