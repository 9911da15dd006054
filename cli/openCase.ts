/** Opens the file or folder named on a command line. */
import type { OpenCase } from '../core/formats/Format'
import { openNamed } from '../core/formats/series'
import { DiskFolder, folderOf } from '../server/work/files'

/** Runs `use` on the opened file and closes everything afterwards. */
export async function withCase<T>(path: string, use: (opened: OpenCase) => Promise<T>): Promise<T> {
  const { folder, name }: { folder: DiskFolder; name: string } = await folderOf(path)
  try {
    return await use(await openNamed([name], folder))
  } finally {
    await folder.close()
  }
}
