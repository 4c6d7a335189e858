declare module 'parse-prometheus-text-format' {
  interface Family {
    name: string
    help: string
    type: string
    metrics: { value: string; labels?: Record<string, string> }[]
  }
  export default function parse(text: string): Family[]
}
