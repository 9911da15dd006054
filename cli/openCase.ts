/** Opens the file named on a command line. */
import type { OpenCase } from '../core/formats/Format'
import { openFile } from '../core/formats'
import { DiskFolder, folderOf } from '../server/work/files'

/** Runs `use` on the opened file and closes everything afterwards. */
export async function withCase<T>(path: string, use: (opened: OpenCase) => Promise<T>): Promise<T> {
  const { folder, name }: { folder: DiskFolder; name: string } = await folderOf(path)
  try {
    return await use(await openFile(await folder.open(name), folder))
  } finally {
    await folder.close()
  }
}
