import { useEffect, useRef, useState } from 'react'
import { faultWords } from '../api.ts'
import { Button } from './parts.tsx'
import { useProgress } from './queries.ts'
import { making as say } from './words.ts'

/** Something long that the desk makes, which can be stopped; what came of it, or what is the matter. */
export function useMaking<T>() {
  const [state, setState] = useState<{ made?: T; fault?: string; busy: boolean }>({ busy: false })
  const underWay = useRef<AbortController>(null)
  useEffect(() => () => underWay.current?.abort(), [])
  const start = async (make: (signal: AbortSignal) => Promise<T>) => {
    const mine = new AbortController()
    underWay.current = mine
    setState({ busy: true })
    const settle = (how: { made?: T; fault?: string }) => {
      if (!mine.signal.aborted) setState({ ...how, busy: false })
    }
    try {
      settle({ made: await make(mine.signal) })
    } catch (error) {
      settle({ fault: faultWords(error) })
    }
  }
  const stop = () => {
    underWay.current?.abort()
    setState({ fault: say.stopped, busy: false })
  }
  return { ...state, start, stop }
}

/** How far something is that the desk makes, with the way to stop it. `of`: the round that it is made of, or null. */
export function Making({ of, stop }: { of: number | null; stop: () => void }) {
  const progress = useProgress(of)
  return (
    <div className="flex items-center gap-3">
      <p role="status" className="flex-1 text-[14px]">
        {progress ? say.progress(progress.words, progress.done, progress.of) : say.making}
        <progress className="mt-1 block h-2 w-full" value={progress?.done} max={Math.max(1, progress?.of ?? 1)} />
      </p>
      <Button onClick={stop}>{say.stop}</Button>
    </div>
  )
}
