/** What this window calls itself at the desk; another each time that the page begins. Made so that it can be made on a network without HTTPS, too. */
export const thisWindow = [...crypto.getRandomValues(new Uint8Array(12))]
  .map((octet) => octet.toString(16).padStart(2, '0'))
  .join('')
