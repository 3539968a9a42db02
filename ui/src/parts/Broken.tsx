import { Component, type ErrorInfo, type ReactNode } from 'react'
import { Button } from './controls'

interface Props {
  children: ReactNode
  at?: string | undefined
}
interface State {
  error: Error | null
  at: string | undefined
}

/**
 * Where drawing a room breaks, the rest stands: it is told, and the room can be drawn again, as it
 * is by itself where another address is opened (`at`).
 */
export class Broken extends Component<Props, State> {
  override state: State = { error: null, at: this.props.at }

  static getDerivedStateFromError(error: unknown): Pick<State, 'error'> {
    return { error: error instanceof Error ? error : new Error(String(error)) }
  }

  static getDerivedStateFromProps({ at }: Props, state: State): State | null {
    return at === state.at ? null : { error: null, at }
  }

  override componentDidCatch(error: unknown, info: ErrorInfo) {
    console.error(error, info.componentStack)
  }

  override render() {
    if (this.state.error === null) return this.props.children
    return (
      <div role="alert" className="docket torn mx-auto mt-16 max-w-lg px-6 pt-6 pb-6">
        <h1 className="font-stamp text-2xl font-bold">This room broke off</h1>
        <p className="mt-2">
          What was saved is kept; what was begun here may have to be done again. It said:{' '}
          {this.state.error.message}
        </p>
        <div className="mt-4 flex gap-3">
          <Button
            look="brass"
            onClick={() => {
              this.setState({ error: null })
            }}
          >
            Draw it again
          </Button>
          <Button
            onClick={() => {
              window.location.assign('/')
            }}
          >
            To the batches
          </Button>
        </div>
      </div>
    )
  }
}
