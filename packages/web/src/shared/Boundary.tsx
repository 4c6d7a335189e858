import { Component, type ReactNode } from 'react'
import { Button, Empty } from './parts.tsx'
import { boundary as say } from './words.ts'

interface Props {
  /** What is within, as a beginning of “… cannot be shown”. */
  what: string
  /** What is shown; when it changes, a part that was broken is drawn anew. */
  of?: unknown
  children: ReactNode
}
interface State {
  fault: unknown
  of: unknown
}

/** Keeps a fault within a part of the screen: what stands around it goes on, and the part can be drawn anew. */
export class Boundary extends Component<Props, State> {
  override state: State = { fault: null, of: this.props.of }

  static getDerivedStateFromError(fault: unknown): Partial<State> {
    return { fault }
  }

  static getDerivedStateFromProps({ of }: Props, state: State): State | null {
    return of === state.of ? null : { fault: null, of }
  }

  override render() {
    const { fault } = this.state
    if (fault === null) return this.props.children
    return (
      <Empty
        title={say.cannotShown(this.props.what)}
        action={<Button onClick={() => this.setState({ fault: null })}>{say.tryAgain}</Button>}
      >
        {say.handPostHasMade}
      </Empty>
    )
  }
}
