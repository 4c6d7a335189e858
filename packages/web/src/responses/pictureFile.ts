/** What of an element's look is written into a picture that is taken away: styles by class are not there with it. */
const looks = ['fill', 'stroke', 'stroke-width', 'stroke-dasharray', 'font-family', 'font-size', 'font-weight'] as const
const svgNamespace = 'http://www.w3.org/2000/svg'
/** How many pixels a PNG has for each of the drawing's. */
const sharpness = 2

/** A drawing of the page as an SVG (W3C) that stands by itself, in the light colours, on a white ground. */
export function svgFile(drawing: SVGSVGElement): string {
  const page = document.documentElement
  const theme = page.dataset.theme
  // Read at once, before anything is painted: what is printed and handed on is on white paper.
  page.dataset.theme = 'light'
  const copy = drawing.cloneNode(true) as SVGSVGElement
  const pairs: [Element, Element][] = [[drawing, copy]]
  for (const [i, one] of [...drawing.querySelectorAll('*')].entries()) pairs.push([one, copy.querySelectorAll('*')[i]])
  for (const [from, to] of pairs) {
    const style = getComputedStyle(from)
    for (const look of looks) {
      const value = style.getPropertyValue(look)
      if (value) to.setAttribute(look, value)
    }
    to.removeAttribute('class')
  }
  if (theme === undefined) delete page.dataset.theme
  else page.dataset.theme = theme
  const { width, height } = drawing.getBoundingClientRect()
  copy.setAttribute('xmlns', svgNamespace)
  copy.setAttribute('width', String(width))
  copy.setAttribute('height', String(height))
  copy.setAttribute('viewBox', `0 0 ${width} ${height}`)
  const ground = document.createElementNS(svgNamespace, 'rect')
  ground.setAttribute('width', '100%')
  ground.setAttribute('height', '100%')
  ground.setAttribute('fill', 'white')
  copy.prepend(ground)
  return new XMLSerializer().serializeToString(copy)
}

/** The same as a PNG (ISO/IEC 15948). Throws when the browser cannot draw it. */
export async function pngFile(drawing: SVGSVGElement): Promise<Blob> {
  const picture = new Image()
  picture.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svgFile(drawing))}`
  await picture.decode()
  const { width, height } = drawing.getBoundingClientRect()
  const canvas = document.createElement('canvas')
  canvas.width = Math.ceil(width * sharpness)
  canvas.height = Math.ceil(height * sharpness)
  canvas.getContext('2d')!.drawImage(picture, 0, 0, canvas.width, canvas.height)
  return new Promise((done, failed) =>
    canvas.toBlob((blob) => (blob ? done(blob) : failed(new Error('No picture was made.'))), 'image/png'),
  )
}

/** Hands a file to the person, as a download. */
export function handOver(file: Blob, name: string): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(file)
  link.download = name
  link.click()
  // The browser has begun to read it by then.
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
}

/** Prints a drawing with its heading and its table, and nothing else of the page. */
export function printDrawing(drawing: SVGSVGElement, title: string, table: HTMLTableElement | null): void {
  const frame = document.createElement('iframe')
  frame.hidden = true
  const heading = document.createElement('h1')
  heading.textContent = title
  frame.srcdoc = `<!doctype html><title></title><style>body{font-family:sans-serif;margin:2em}svg{max-width:100%;height:auto}h1{font-size:1.2em}table{margin-top:1em;border-collapse:collapse}th,td{padding:.2em 1em .2em 0;text-align:left}</style>${heading.outerHTML}${svgFile(drawing)}${table?.outerHTML ?? ''}`
  frame.onload = () => {
    const inner = frame.contentWindow!
    inner.document.title = title
    inner.addEventListener('afterprint', () => frame.remove())
    inner.print()
  }
  document.body.append(frame)
}
