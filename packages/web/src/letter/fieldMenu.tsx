import { type Column, type Row, shown } from '@hand-post/core'
import { Extension } from '@tiptap/core'
import { PluginKey } from '@tiptap/pm/state'
import { ReactRenderer } from '@tiptap/react'
import { exitSuggestion, Suggestion, type SuggestionKeyDownProps, type SuggestionProps } from '@tiptap/suggestion'
import clsx from 'clsx'
import { type Ref, useImperativeHandle, useState } from 'react'
import { insertField } from './fieldNode.tsx'
import { fieldMenu as say } from './words.ts'

const menuKey = new PluginKey('fieldMenu')

/** What the menu offers: the columns of the list, each with the chosen person's value beside it. */
export interface FieldSource {
  columns: Column[]
  person: Row | null
}

interface MenuHandle {
  onKeyDown: (props: SuggestionKeyDownProps) => boolean
}

function FieldMenu({
  items,
  command,
  source,
  ref,
}: SuggestionProps<Column, Column> & { source: FieldSource; ref?: Ref<MenuHandle> }) {
  // Among other columns the first is in hand again.
  const [place, setPlace] = useState({ items, at: 0 })
  const at = place.items === items ? place.at : 0
  const setAt = (at: number) => setPlace({ items, at })
  useImperativeHandle(ref, () => ({
    onKeyDown({ event }) {
      if (items.length === 0) return false
      if (event.key === 'ArrowDown') setAt((at + 1) % items.length)
      else if (event.key === 'ArrowUp') setAt((at + items.length - 1) % items.length)
      else if (event.key === 'Enter' || event.key === 'Tab') command(items[at])
      else return false
      return true
    },
  }))
  if (items.length === 0)
    return (
      <p className="paper w-72 px-3 py-2 text-[13px] text-ink-2 shadow-lg">
        {source.columns.length === 0 ? say.bringListFirstColumns : say.noColumnName}
      </p>
    )
  return (
    <div role="listbox" aria-label={say.columns} className="paper max-h-72 w-80 overflow-auto py-1 shadow-lg">
      {items.map((column, i) => (
        <div
          key={column.id}
          role="option"
          tabIndex={-1}
          aria-selected={i === at}
          className={clsx('flex cursor-pointer justify-between gap-3 px-3 py-1', i === at && 'bg-post-tint')}
          onMouseEnter={() => setAt(i)}
          onMouseDown={(e) => {
            e.preventDefault()
            command(column)
          }}
        >
          <span className="shrink-0">{column.name}</span>
          <span className="truncate text-[13px] text-ink-2">
            {(source.person && shown(source.person.cells[column.id]).trim()) || say.blankHere}
          </span>
        </div>
      ))}
    </div>
  )
}

/** Opens the menu of columns where `{{` is typed. `source` is asked each time, so that it is never out of date. */
export function fieldMenu(source: () => FieldSource): Extension {
  return Extension.create({
    name: 'fieldMenu',
    onBlur() {
      exitSuggestion(this.editor.view, menuKey)
    },
    addProseMirrorPlugins() {
      return [
        Suggestion<Column, Column>({
          pluginKey: menuKey,
          editor: this.editor,
          char: '{{',
          allowSpaces: true,
          allowedPrefixes: null,
          items: ({ query }) => {
            const wanted = query.trim().toLowerCase()
            return source().columns.filter((c) => c.name.toLowerCase().includes(wanted))
          },
          command: ({ editor, range, props: column }) => insertField(editor, column.name, range),
          render: () => {
            let menu: ReactRenderer<MenuHandle> | null = null
            const place = (props: SuggestionProps<Column, Column>) => {
              const rect = props.clientRect?.()
              if (!menu || !rect) return
              const below = rect.bottom + 300 < innerHeight
              Object.assign((menu.element as HTMLElement).style, {
                position: 'fixed',
                zIndex: '60',
                left: `${Math.min(rect.left, innerWidth - 340)}px`,
                top: below ? `${rect.bottom + 4}px` : '',
                bottom: below ? '' : `${innerHeight - rect.top + 4}px`,
              })
            }
            return {
              onStart(props) {
                menu = new ReactRenderer(FieldMenu, { props: { ...props, source: source() }, editor: props.editor })
                document.body.append(menu.element)
                place(props)
              },
              onUpdate(props) {
                menu?.updateProps({ ...props, source: source() })
                place(props)
              },
              onKeyDown: (props) => menu?.ref?.onKeyDown(props) ?? false,
              onExit() {
                menu?.element.remove()
                menu?.destroy()
                menu = null
              },
            }
          },
        }),
      ]
    },
  })
}
