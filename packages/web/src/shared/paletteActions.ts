import { useEffect } from 'react'

/** An action that a screen adds to the palette while it is shown. */
export interface Action {
  name: string
  shortcut?: string
  act: () => void
}

/** The actions of the screens that are shown. */
export const added = new Set<Action[]>()

/** Adds a screen's actions to the palette. */
export function usePaletteActions(actions: Action[]): void {
  useEffect(() => {
    added.add(actions)
    return () => void added.delete(actions)
  }, [actions])
}
