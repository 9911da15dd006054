/** Folders that files may be brought in from, for the command line to find its own files in. */
export default route(async (_event, { settings }) => settings.folders)
