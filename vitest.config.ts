import { basename } from 'node:path'
import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { playwright } from '@vitest/browser-playwright'
import { defineConfig } from 'vitest/config'
import { BaseSequencer, type TestSpecification } from 'vitest/node'
import { chromiumOptions } from './scripts/chromium.mjs'
import { shortLived } from './scripts/shortLived.mjs'

/** The files that take longest, about a minute and more, in that order. */
const long = [
  'bench',
  'backup',
  'jobs',
  'manyProcesses',
  'hostile',
  'walls',
  'chasers',
  'views',
  'move',
  'exactlyOnce',
  'sentAnswers',
  'threads',
  'record',
  'timetable',
  'settle',
  'round',
  'answers',
  'otherMail',
  'accounts',
  'enclosures',
  'people',
  'paces',
  'letter',
  'dispatchModel',
  'fuzz',
  'paper',
  'secondEyes',
  'amend',
  'office',
  'oauth',
  'faults',
  'company',
  'debianHosts',
]

/** Begins with what takes longest, so that at the end nothing long is waited for alone. */
class LongFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    const place = ({ moduleId }: TestSpecification) => {
      const at = long.indexOf(basename(moduleId, '.test.ts'))
      return at < 0 ? long.length : at
    }
    return (await super.sort(files)).sort((a, b) => place(a) - place(b))
  }
}

export default defineConfig({
  test: {
    // Five times what the longest takes on the two cores of CI.
    testTimeout: 600_000,
    hookTimeout: 600_000,
    // What is looked for again and again may take as long as it does on a machine that is busy.
    expect: { poll: { timeout: 15_000 } },
    // One more than the cores of CI: a third of the time a test waits for a host, a browser or a clock.
    maxWorkers: 3,
    sequence: { sequencer: LongFirst },
    projects: [
      // What computes and holds nothing: its files share what they import.
      {
        extends: true,
        test: {
          name: 'core',
          include: ['packages/{core,contract,web}/{src,test}/**/*.test.ts'],
          pool: 'forks',
          isolate: false,
        },
      },
      {
        extends: true,
        test: {
          name: 'node',
          globalSetup: 'packages/server/test/template.ts',
          setupFiles: 'packages/server/test/threadHeaps.ts',
          include: ['packages/{server,practice}/{src,test}/**/*.test.ts', 'e2e/**/*.test.ts', 'bench/*.test.ts'],
          pool: 'forks',
          // Each test has a server of its own, which lives for seconds; and a tenth of the time went into collecting what lies about.
          execArgv: [...shortLived, '--max-semi-space-size=64'],
          isolate: false,
        },
      },
      // Parts of the interface, each alone, drawn by Debian's Chromium; what they ask the desk is answered in the page.
      {
        extends: true,
        plugins: [react(), tailwindcss()],
        // Found before the first file runs: what is found later loads the page anew in mid-test.
        optimizeDeps: { entries: ['packages/web/src/**/*.{ts,tsx}'] },
        test: {
          name: 'web',
          include: ['packages/web/src/**/*.test.tsx'],
          browser: {
            enabled: true,
            headless: true,
            provider: playwright({ launchOptions: chromiumOptions }),
            instances: [{ browser: 'chromium', viewport: { width: 1280, height: 800 } }],
            screenshotFailures: false,
          },
          fileParallelism: false,
          // What is looked for in the page is looked for until then.
          testTimeout: 60_000,
        },
      },
    ],
  },
})
