/** Waits until something holds; fails where it does not within some seconds. */
export async function until(holds: () => Promise<boolean>, seconds = 90): Promise<void> {
  for (const end = Date.now() + seconds * 1000; !(await holds());) {
    if (Date.now() > end) throw new Error('it never came about');
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}
