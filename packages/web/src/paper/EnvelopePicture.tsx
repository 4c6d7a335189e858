import {
  addressPlace,
  addressSetting,
  alwaysSeen,
  envelopeSizes,
  maxPostalLines,
  type PaperForm,
  windowOf,
} from '@hand-post/core'
import { ChevronLeft, ChevronRight } from 'lucide-react'
import { useId, useState } from 'react'
import { Button } from '../shared/parts.tsx'
import { envelopePicture as say } from './words.ts'

/** An envelope as it lies on the desk, with what is seen through its window; one after another, where there are several addresses. */
export function EnvelopePicture({ form, addresses }: { form: PaperForm; addresses: string[][] }) {
  const [wanted, setWanted] = useState(0)
  const clip = useId()
  const at = Math.min(wanted, Math.max(addresses.length - 1, 0))
  const lines = addresses[at] ?? []
  const { width, height } = envelopeSizes[form.envelope]
  const window = windowOf(form)
  const opening = {
    x: window.left,
    y: window.top,
    width: window.right - window.left,
    height: window.bottom - window.top,
  }
  const seen = alwaysSeen(form)
  const place = addressPlace(form)
  // The sheet lies in the middle of its play: the part that is always seen is in the middle of the window.
  const moved = {
    x: (window.left + window.right - seen.left - seen.right) / 2,
    y: (window.top + window.bottom - seen.top - seen.bottom) / 2,
  }
  return (
    <figure>
      <svg
        viewBox={`-1 -1 ${width + 2} ${height + 2}`}
        className="w-full max-w-md"
        role="img"
        aria-label={say.picture(say.sizes[form.envelope], say.sides[form.window], lines)}
      >
        <clipPath id={clip}>
          <rect {...opening} />
        </clipPath>
        <rect width={width} height={height} rx={1} className="fill-sheet-2 stroke-rule" strokeWidth={0.6} />
        {/* Where the stamp goes. */}
        <rect
          x={width - 32}
          y={8}
          width={24}
          height={28}
          className="fill-none stroke-rule"
          strokeWidth={0.6}
          strokeDasharray="2 2"
        />
        <rect {...opening} rx={2} className="fill-sheet stroke-ink-2" strokeWidth={0.6} />
        <g clipPath={`url(#${clip})`} className="fill-ink" fontSize={3.7}>
          {lines.map((line, i) => (
            <text
              key={i}
              x={place.left + moved.x}
              y={place.top + moved.y + i * addressSetting.line + 3.4}
              className={i < maxPostalLines ? undefined : 'fill-stop'}
            >
              {line}
            </text>
          ))}
        </g>
      </svg>
      {addresses.length > 0 && (lines.length === 0 || lines.length > maxPostalLines) && (
        <p role="status" className="text-[13px] text-stop">
          {lines.length === 0 ? say.noLines : say.tooMany(lines.length, maxPostalLines)}
        </p>
      )}
      {addresses.length > 1 && (
        <figcaption className="flex items-center gap-1 text-[13px] text-ink-2">
          <Button kind="quiet" aria-label={say.previous} disabled={at === 0} onClick={() => setWanted(at - 1)}>
            <ChevronLeft aria-hidden size={16} />
          </Button>
          {say.ofIt(at, addresses.length)}
          <Button
            kind="quiet"
            aria-label={say.next}
            disabled={at === addresses.length - 1}
            onClick={() => setWanted(at + 1)}
          >
            <ChevronRight aria-hidden size={16} />
          </Button>
        </figcaption>
      )}
    </figure>
  )
}
