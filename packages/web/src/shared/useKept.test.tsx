import { useState } from 'react'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { useKept } from './useKept.ts'

/** A line over something that is stored, and how that is changed from elsewhere. */
async function drawLine(mayBeBlank = false, refuses = false) {
  openDesk()
  const put: string[] = []
  let elsewhere!: (stored: string) => void
  function Line() {
    const [stored, setStored] = useState('Permits')
    elsewhere = setStored
    const { line } = useKept(
      stored,
      (text) => {
        put.push(text)
        if (!refuses) setStored(text)
      },
      mayBeBlank,
    )
    return <input aria-label="Title" {...line} />
  }
  const { screen } = await draw(<Line />)
  return { put, field: screen.getByLabelText('Title'), elsewhere: (stored: string) => elsewhere(stored) }
}

test('what is typed is kept when the line is left or Enter is pressed, once and without spaces around', async () => {
  const { put, field } = await drawLine()
  await field.fill(' Tolls ')
  expect(put).toEqual([])
  await userEvent.keyboard('{Enter}')
  expect(put).toEqual(['Tolls'])
  await field.click()
  await userEvent.tab()
  expect(put).toEqual(['Tolls'])
})

test('when what was kept is taken back, the line shows what is stored, and does not put it again', async () => {
  const { put, field, elsewhere } = await drawLine()
  await field.fill('Tolls')
  await userEvent.tab()
  elsewhere('Permits')
  await expect.element(field).toHaveValue('Permits')
  await field.click()
  await userEvent.tab()
  expect(put).toEqual(['Tolls'])
})

test('left blank, it shows what is stored again, unless it may be blank', async () => {
  const must = await drawLine()
  await must.field.fill(' ')
  await userEvent.tab()
  await expect.element(must.field).toHaveValue('Permits')
  expect(must.put).toEqual([])
})

test('where it may be blank, that is kept', async () => {
  const { put, field } = await drawLine(true)
  await field.fill('')
  await userEvent.tab()
  expect(put).toEqual([''])
})

test('what was refused stays to be mended', async () => {
  const { field } = await drawLine(false, true)
  await field.fill('Tolls')
  await userEvent.tab()
  await expect.element(field).toHaveValue('Tolls')
})
