import { type ReactNode, useEffect, useRef } from 'react'
import { Sheet } from '../shared/Sheet.tsx'
import { openTour, type TourPart, tourParts } from '../shared/tour.ts'
import { tourParts as parts } from './tourWords.ts'
import { tour } from './words.ts'

/** How a round goes, on one page at the side of what one works with, opened at one of its parts. */
export default function Tour({ at }: { at: TourPart }) {
  return (
    <Sheet title={tour.title} wide onClose={() => openTour(null)}>
      <Page at={at} />
    </Sheet>
  )
}

function Page({ at }: { at: TourPart }) {
  const page = useRef<HTMLDivElement>(null)
  const show = (part: TourPart) => {
    const heading = page.current?.querySelector<HTMLElement>(`#tour-${part}`)
    heading?.scrollIntoView({ block: 'start' })
    heading?.focus({ preventScroll: true })
  }
  // biome-ignore lint/correctness/useExhaustiveDependencies: shown when it is opened at a part, not at every drawing
  useEffect(() => show(at), [at])
  return (
    <>
      <nav aria-label={tour.contents} className="flex flex-wrap gap-1 border-rule border-b px-4 py-1.5 text-[14px]">
        {tourParts.map((part) => (
          <button
            key={part}
            type="button"
            className="rounded-paper px-2 py-1 text-post hover:bg-sheet-2"
            onClick={() => show(part)}
          >
            {parts[part].name}
          </button>
        ))}
      </nav>
      <div ref={page} className="min-h-0 flex-1 overflow-auto px-5 pb-8">
        {tourParts.map((part) => {
          const { name, lead, steps } = parts[part]
          return (
            <section
              key={part}
              aria-labelledby={`tour-${part}`}
              className="flex gap-5 border-rule border-b py-5 last:border-0"
            >
              <svg
                viewBox="0 0 96 72"
                aria-hidden="true"
                className="mt-1 h-18 w-24 shrink-0 text-ink-2 max-sm:hidden"
                fill="none"
                stroke="currentColor"
                strokeWidth="1.5"
                strokeLinecap="round"
                strokeLinejoin="round"
              >
                {drawings[part]}
              </svg>
              <div className="min-w-0">
                <h3 id={`tour-${part}`} tabIndex={-1} className="scroll-mt-5 text-lg">
                  {name}
                </h3>
                <p className="mt-1">{lead}</p>
                <ul className="mt-2 list-disc space-y-1 pl-5 text-[14px]">
                  {steps.map((step) => (
                    <li key={step}>{step}</li>
                  ))}
                </ul>
              </div>
            </section>
          )
        })}
      </div>
    </>
  )
}

const tint = { className: 'fill-post-tint stroke-post' }
const solid = { className: 'fill-post stroke-post' }

/** A small drawing for each part, in ink with the one accent. */
const drawings: Record<TourPart, ReactNode> = {
  // One sheet becomes three.
  beginning: (
    <>
      <rect x="6" y="18" width="26" height="36" />
      <path d="M11 26h16M11 32h16M11 38h10M38 36h12m-4-4 4 4-4 4" />
      <rect x="58" y="6" width="22" height="28" {...tint} />
      <rect x="64" y="18" width="22" height="28" {...tint} />
      <rect x="70" y="30" width="22" height="28" {...tint} />
    </>
  ),
  // A table, two rows chosen, one struck through.
  people: (
    <>
      <rect x="8" y="10" width="80" height="52" />
      <rect x="8" y="23" width="80" height="13" {...tint} />
      <rect x="8" y="49" width="80" height="13" {...tint} />
      <path d="M34 10v52M60 10v52M14 42.5h68" />
    </>
  ),
  // A letter with two fields in its lines.
  letter: (
    <>
      <rect x="20" y="4" width="56" height="64" />
      <path d="M28 16h12M28 28h40M28 36h14M62 36h6M28 44h40M28 56h20" />
      <rect x="44" y="11" width="20" height="9" {...tint} />
      <rect x="45" y="32" width="14" height="8" {...tint} />
    </>
  ),
  // A letter with a file clipped to it.
  enclosures: (
    <>
      <rect x="10" y="8" width="46" height="56" />
      <path d="M18 20h30M18 28h30M18 36h20" />
      <path d="M52 26h24l10 10v28H52z" {...tint} />
      <path d="M76 26v10h10" />
      <path d="M60 18v16a4 4 0 0 0 8 0V16a7 7 0 0 0-14 0v16" />
    </>
  ),
  // A sheet under a glass.
  proof: (
    <>
      <rect x="12" y="6" width="50" height="60" />
      <path d="M20 18h34M20 28h34M20 38h18M20 48h14" />
      <circle cx="62" cy="44" r="15" {...tint} />
      <path d="m56 44 5 5 8-9M73 55l13 12" />
    </>
  ),
  // Letters along a line of time; some have gone.
  dispatch: (
    <>
      <path d="M6 54h84M18 54v4M42 54v4M66 54v4" />
      <rect x="8" y="30" width="16" height="20" {...solid} />
      <rect x="32" y="30" width="16" height="20" {...solid} />
      <rect x="56" y="30" width="16" height="20" {...tint} />
      <path d="M52 18v42" strokeDasharray="3 3" />
    </>
  ),
  // A letter comes back beside those that have gone.
  responses: (
    <>
      <rect x="8" y="12" width="34" height="24" />
      <path d="m8 12 17 13 17-13" />
      <rect x="54" y="36" width="34" height="24" {...tint} />
      <path d="m54 36 17 13 17-13M48 24h30v6M48 24l6-5M48 24l6 5" />
    </>
  ),
  keys: (
    <>
      <rect x="10" y="22" width="34" height="28" />
      <rect x="52" y="22" width="34" height="28" {...tint} />
      <path d="M20 44h14M62 36h14M69 30v12" />
    </>
  ),
}
