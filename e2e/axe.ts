import type { Page } from '@playwright/test'
import { source } from 'axe-core'

/** WCAG 2.2 at levels A and AA, by axe-core's rules. */
export const wcag = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'] as const

interface Violation {
  id: string
  impact: string
  targets: string[]
}

/** What axe-core holds to be serious or critical on a page, in words. */
export async function seriousFor(page: Page, rules: readonly string[]): Promise<string[]> {
  // The message's frame runs no scripts, so axe cannot be put into it; what it shows is the writer's letter.
  const violations = await page.evaluate<Violation[]>(`${source};
axe.run(document, { iframes: false, resultTypes: ['violations'], runOnly: ${JSON.stringify(rules)} })
  .then(({ violations }) => violations.map((v) => ({ id: v.id, impact: v.impact, targets: v.nodes.map((n) => n.target.join(' ') + ' ' + n.failureSummary) })))`)
  return violations
    .filter(({ impact }) => impact === 'serious' || impact === 'critical')
    .map(({ id, targets }) => `${id}: ${targets.slice(0, 3).join(' | ')}`)
}
