/**
 * Has several workers do one task after another, each taking the next when it is free. When one fails, none is begun any more.
 * @throws what the first that failed threw, when all have ended.
 */
export async function runPool<Worker, Task>(
  tasks: readonly Task[],
  workers: readonly Worker[],
  work: (worker: Worker, task: Task) => Promise<void>,
): Promise<void> {
  const queue = [...tasks]
  const faults: unknown[] = []
  await Promise.all(
    workers.map(async (worker) => {
      try {
        for (let task = queue.shift(); task !== undefined; task = queue.shift()) await work(worker, task)
      } catch (error) {
        faults.push(error)
        queue.length = 0
      }
    }),
  )
  if (faults.length > 0) throw faults[0]
}
