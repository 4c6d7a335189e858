import { useState } from 'react'
import { Paper, Say } from '../shared/parts.tsx'
import { notifying, setNotifying } from '../shared/told.ts'
import { toldHere as say } from './words.ts'

/** Whether this browser shows notifications while the desk is not looked at. */
export function ToldHere() {
  const [how, setHow] = useState(notifying)
  if (how === 'cannot') return null
  return (
    <Paper title={say.title}>
      <div className="space-y-2 px-4 py-3">
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-post"
            checked={how === 'yes'}
            disabled={how === 'notAllowed'}
            onChange={(e) => void setNotifying(e.target.checked).then(setHow)}
          />
          {say.notify}
        </label>
        <p className="text-[13px] text-ink-2">{say.when}</p>
        {how === 'notAllowed' && <Say tone="ask">{say.notAllowed}</Say>}
      </div>
    </Paper>
  )
}
