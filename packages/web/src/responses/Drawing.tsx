import { FileImage } from 'lucide-react'
import { DropdownMenu } from 'radix-ui'
import { type ReactNode, useRef } from 'react'
import { toast } from 'sonner'
import { Button } from '../shared/parts.tsx'
import { handOver, pngFile, printDrawing, svgFile } from './pictureFile.ts'
import { drawing as say } from './words.ts'

/** A chart with its figures as a table, to be kept as a picture or printed. */
export function Drawing({
  title,
  name,
  width,
  height,
  label,
  heads,
  rows,
  children,
}: {
  /** What it shows, over it where it is printed. */
  title: string
  /** What its file is called, without the ending. */
  name: string
  width: number
  height: number
  /** What somebody is told who does not see it. */
  label: string
  /** Its figures. The first of each row is what the others are about. */
  heads: string[]
  rows: (string | number)[][]
  children: ReactNode
}) {
  const svg = useRef<SVGSVGElement>(null)
  const table = useRef<HTMLTableElement>(null)
  const png = async () => {
    try {
      handOver(await pngFile(svg.current!), `${name}.png`)
    } catch {
      toast.error(say.noPng)
    }
  }
  const item = 'block w-full px-3 py-1 text-left data-highlighted:bg-post-tint'
  return (
    <>
      <svg ref={svg} width={width} height={height} role="img" aria-label={label} className="block text-[12px]">
        {children}
      </svg>
      <div className="flex items-start justify-between gap-3 text-[13px]">
        <details>
          <summary className="cursor-pointer text-ink-2">{say.asTable}</summary>
          <table ref={table} className="mt-1">
            <thead>
              <tr className="text-left">
                {heads.map((h) => (
                  <th key={h} scope="col" className="pr-6">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.map(([what, ...cells]) => (
                <tr key={what}>
                  <th scope="row" className="pr-6 text-left font-normal">
                    {what}
                  </th>
                  {cells.map((cell, i) => (
                    <td key={i} className="pr-6">
                      {cell}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </details>
        <DropdownMenu.Root>
          <DropdownMenu.Trigger asChild>
            <Button kind="quiet">
              <FileImage aria-hidden size={15} /> {say.keep}
            </Button>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content align="end" className="paper z-50 py-1 text-[14px] shadow-lg">
              <DropdownMenu.Item className={item} onSelect={() => printDrawing(svg.current!, title, table.current)}>
                {say.print}
              </DropdownMenu.Item>
              <DropdownMenu.Item
                className={item}
                onSelect={() => handOver(new Blob([svgFile(svg.current!)], { type: 'image/svg+xml' }), `${name}.svg`)}
              >
                {say.svg}
              </DropdownMenu.Item>
              <DropdownMenu.Item className={item} onSelect={() => void png()}>
                {say.png}
              </DropdownMenu.Item>
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      </div>
    </>
  )
}
