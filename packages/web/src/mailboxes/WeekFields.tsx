import { type ReadyWeek, readyWeekOf, readyWeeks, spansFrom, type Week, weekWords } from '@hand-post/core'
import { scaleLinear } from 'd3-scale'
import { useState } from 'react'
import { useFormContext } from 'react-hook-form'
import { useField } from '../shared/form.tsx'
import { FaultLine, Ways } from '../shared/parts.tsx'
import { weekTexts } from './weekForm.ts'
import { weekFields as say } from './words.ts'

const width = 240
const x = scaleLinear([0, 1440], [0, width])

/** The hours of a week: ready choices, a field for each day, and beside it what they look like. */
export function WeekFields({ name }: { name: string }) {
  const { watch, setValue } = useFormContext()
  const texts = watch(name) as string[]
  const week = texts.map((text) => spansFrom(text))
  const whole = week.every((spans) => Array.isArray(spans)) ? (week as Week) : null
  const [open, setOpen] = useState(whole === null || readyWeekOf(whole) === null)
  const choose = (ready: ReadyWeek | 'own') => {
    if (ready !== 'own')
      setValue(name, weekTexts(readyWeeks[ready]), { shouldDirty: true, shouldTouch: true, shouldValidate: true })
  }
  return (
    <div className="space-y-2">
      <Ways
        legend={say.readyChoices}
        ways={say.ready}
        without={whole && readyWeekOf(whole) === null ? undefined : ['own']}
        way={(whole && readyWeekOf(whole)) ?? 'own'}
        onChoose={choose}
      />
      {/* A ready choice is told in words; whoever wants others opens it. */}
      <details open={open} onToggle={(e) => setOpen(e.currentTarget.open)}>
        <summary className="mb-1 cursor-pointer text-[13px] text-ink-2">
          {say.dayByDay(whole === null ? '' : weekWords(whole))}
        </summary>
        <div className="grid grid-cols-[max-content_13rem_max-content] items-center gap-x-3 gap-y-0.5">
          <span />
          <span className="text-[13px] text-ink-2">{say.how}</span>
          <svg width={width} height={14} aria-hidden="true" className="fill-ink-2 text-[11px]">
            {[0, 6, 12, 18, 24].map((hour) => (
              <text
                key={hour}
                x={x(hour * 60)}
                y={11}
                textAnchor={hour === 0 ? 'start' : hour === 24 ? 'end' : 'middle'}
              >{`${String(hour).padStart(2, '0')}:00`}</text>
            ))}
          </svg>
          {texts.map((_, i) => (
            <Day key={say.days[i]} name={`${name}.${i}`} label={say.days[i]} spans={week[i]} />
          ))}
        </div>
      </details>
    </div>
  )
}

function Day({ name, label, spans }: { name: string; label: string; spans: ReturnType<typeof spansFrom> }) {
  const { control, fault } = useField(name)
  return (
    <>
      <span aria-hidden className="font-bold text-[13px]">
        {label}
      </span>
      <input aria-label={say.hoursOf(label)} className="input w-full" {...control} />
      <svg width={width} height={20} aria-hidden="true">
        <rect width={width} height={20} className="fill-sheet-2 stroke-rule" />
        {Array.isArray(spans) &&
          spans.map(({ from, to }) => (
            <rect key={from} x={x(from)} width={x(to - from)} y={3} height={14} className="fill-post" />
          ))}
        {[6, 12, 18].map((hour) => (
          <line key={hour} x1={x(hour * 60)} x2={x(hour * 60)} y2={20} className="stroke-rule" />
        ))}
      </svg>
      {fault && (
        <div className="col-span-2 col-start-2">
          <FaultLine fault={fault} />
        </div>
      )}
    </>
  )
}
