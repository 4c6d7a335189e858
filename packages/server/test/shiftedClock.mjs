// A machine whose clock is wrong, for a program that is started with it (--import): by so many milliseconds.
const by = Number(process.env.SHIFT_CLOCK ?? 0)
const { now } = Date
const Own = Date
if (by !== 0)
  globalThis.Date = class extends Own {
    constructor(...given) {
      super(...(given.length === 0 ? [now() + by] : given))
    }
    static now() {
      return now() + by
    }
  }
