import scripts from '../scripts.css?url'

/** The style sheet with the typefaces for scripts that those of the interface lack. */
export const scriptsAddress = new URL(scripts, location.href).href

/** Adds these typefaces to the page, once it has nothing better to do: most offices never show a character of them. */
export function addScripts(): void {
  const add = () => {
    const link = document.createElement('link')
    link.rel = 'stylesheet'
    link.href = scriptsAddress
    document.head.append(link)
  }
  setTimeout(add, 500)
}
