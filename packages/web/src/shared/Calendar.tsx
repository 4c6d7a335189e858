import { format, isValid, parseISO } from 'date-fns'
import { enGB } from 'date-fns/locale/en-GB'
import { DayPicker } from 'react-day-picker'
import { calendar as say } from './words.ts'

const day = 'size-9 rounded-paper enabled:hover:bg-post-tint'

/** A month to choose a day from, by mouse or arrow keys. Loaded when it is first opened. */
export default function Calendar({ value, onChoose }: { value: string; onChoose: (day: string) => void }) {
  const read = parseISO(value.slice(0, 10))
  const chosen = isValid(read) ? read : undefined
  return (
    <DayPicker
      mode="single"
      locale={enGB}
      autoFocus
      required
      captionLayout="dropdown"
      startMonth={new Date(1900, 0)}
      endMonth={new Date(2200, 11)}
      defaultMonth={chosen}
      selected={chosen}
      onSelect={(date) => date && onChoose(format(date, 'yyyy-MM-dd'))}
      labels={{
        labelDayButton: (date) => format(date, 'EEEE d MMMM yyyy', { locale: enGB }),
        labelNext: () => say.nextMonth,
        labelPrevious: () => say.monthBefore,
        labelMonthDropdown: () => say.month,
        labelYearDropdown: () => say.year,
      }}
      classNames={{
        months: 'relative',
        month_caption: 'flex h-9 items-center font-bold',
        dropdowns: 'flex gap-1',
        dropdown_root: 'relative',
        dropdown: 'input px-1 py-0.5 font-normal',
        caption_label: 'hidden',
        nav: 'absolute top-0 right-0 z-10 flex',
        button_previous: 'size-9 rounded-paper hover:bg-post-tint grid place-items-center',
        button_next: 'size-9 rounded-paper hover:bg-post-tint grid place-items-center',
        chevron: 'size-4 fill-ink',
        month_grid: 'mt-1 border-collapse',
        weekday: 'size-9 font-normal text-[13px] text-ink-2',
        day: 'p-0 text-center',
        day_button: day,
        today: 'underline decoration-2 underline-offset-4',
        selected: 'bg-post text-on-post font-bold rounded-paper [&_button:hover]:bg-transparent',
        outside: 'text-ink-2',
      }}
      showOutsideDays
    />
  )
}
