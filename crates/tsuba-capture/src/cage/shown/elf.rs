//! The libraries that a program names (ELF: the dynamic section), where they lie outside of the system's folders.

use super::is_of_the_system;
use elf::ElfStream;
use elf::abi::{DT_NEEDED, DT_RPATH, DT_RUNPATH, DT_STRSZ, DT_STRTAB, PT_DYNAMIC, PT_INTERP, PT_LOAD};
use elf::endian::AnyEndian;
use elf::segment::ProgramHeader;
use std::collections::BTreeSet;
use std::fs::{self, File};
use std::io::{Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

/// The longest path (bytes).
const MAX_NAME: u64 = 4096;
/// More of a dynamic section, and of its texts, is not read (bytes).
const MAX_DYNAMIC: u64 = 1 << 20;
const MAX_STRINGS: u64 = 64 << 20;
/// So many libraries of one program are shown.
const MAX_LIBRARIES: usize = 256;

/// Is this the beginning of a program?
pub(super) fn is_elf(head: &[u8]) -> bool {
    head.starts_with(b"\x7fELF")
}

/// The libraries of a program, those that they name too, and its loader, as far as they lie outside of the system's folders.
pub(super) fn libraries(program: &Path) -> BTreeSet<PathBuf> {
    let mut out = BTreeSet::new();
    let mut open = vec![program.to_path_buf()];
    while let Some(file) = open.pop() {
        let Some(named) = names(&file) else { continue };
        let folder = file.parent().unwrap_or(Path::new("/"));
        let origin = |path: &str| {
            let own = folder.to_string_lossy();
            PathBuf::from(path.replace("${ORIGIN}", &own).replace("$ORIGIN", &own))
        };
        let mut folders: Vec<PathBuf> = named.folders.iter().map(|folder| origin(folder)).collect();
        folders.extend(configured());
        let found = named.libraries.iter().filter_map(|library| {
            let places = if library.contains('/') {
                vec![origin(library)]
            } else {
                folders.iter().map(|f| f.join(library)).collect()
            };
            places.into_iter().filter(|place| place.is_absolute()).find(|place| is_library(place))
        });
        for library in found.chain(named.loader.iter().map(PathBuf::from).filter(|loader| is_library(loader))) {
            if !is_of_the_system(&library) && out.len() < MAX_LIBRARIES && out.insert(library.clone()) {
                open.extend(library.canonicalize());
            }
        }
    }
    out
}

/// Folders of the machine's own settings (ld.so.conf(5)).
fn configured() -> Vec<PathBuf> {
    let files = fs::read_dir("/etc/ld.so.conf.d")
        .into_iter()
        .flatten()
        .flatten()
        .filter_map(|entry| super::text(&entry.path()));
    let lines: Vec<String> =
        files.flat_map(|text| text.lines().map(|line| line.trim().to_owned()).collect::<Vec<_>>()).collect();
    lines.into_iter().filter(|line| line.starts_with('/')).map(PathBuf::from).collect()
}

/// Is there a library? Anything else is not shown, whatever a program calls it.
fn is_library(path: &Path) -> bool {
    path.is_file() && super::head(path).is_some_and(|head| is_elf(&head))
}

/// What a file names.
#[derive(Debug, Default)]
struct Named {
    libraries: Vec<String>,
    folders: Vec<String>,
    loader: Option<String>,
}

/// Reads the dynamic section by the segments alone: the loader does so, and sections may have been stripped.
fn names(file: &Path) -> Option<Named> {
    read(File::open(file).ok().filter(|file| file.metadata().is_ok_and(|facts| facts.is_file()))?)
}

/// Reads no more than what it needs: a runtime may have a hundred megabytes.
fn read(mut from: impl Read + Seek) -> Option<Named> {
    let mut file = ElfStream::<AnyEndian, _>::open_stream(&mut from).ok()?;
    let segments = file.segments().clone();
    let interpreter = segments.iter().find(|segment| segment.p_type == PT_INTERP && segment.p_filesz < MAX_NAME);
    let loader = interpreter.and_then(|segment| word(file.segment_data(segment).ok()?));
    let mut out = Named { loader, ..Named::default() };
    let small = |segment: &ProgramHeader| segment.p_type != PT_DYNAMIC || segment.p_filesz < MAX_DYNAMIC;
    if !segments.iter().all(small) {
        return Some(out);
    }
    let dynamic: Vec<(i64, u64)> = match file.dynamic() {
        Ok(Some(table)) => table.iter().map(|entry| (entry.d_tag, entry.d_val())).collect(),
        Ok(None) | Err(_) => return Some(out),
    };
    let value = |wanted: i64| dynamic.iter().find(|(tag, _)| *tag == wanted).map(|(_, value)| *value);
    let start = value(DT_STRTAB).and_then(|address| {
        segments.iter().filter(|segment| segment.p_type == PT_LOAD).find_map(|segment| {
            let within = address.checked_sub(segment.p_vaddr).filter(|within| *within < segment.p_filesz)?;
            segment.p_offset.checked_add(within)
        })
    })?;
    let mut strings = Vec::new();
    from.seek(SeekFrom::Start(start)).ok()?;
    from.take(value(DT_STRSZ)?.min(MAX_STRINGS)).read_to_end(&mut strings).ok()?;
    for (tag, value) in dynamic {
        let text = || usize::try_from(value).ok().and_then(|at| strings.get(at..)).and_then(word);
        match tag {
            DT_NEEDED => out.libraries.extend(text()),
            DT_RPATH | DT_RUNPATH => {
                let list = text().unwrap_or_default();
                out.folders.extend(list.split(':').filter(|folder| !folder.is_empty()).map(str::to_owned));
            }
            _ => {}
        }
    }
    Some(out)
}

/// A text that ends with a zero byte, as long as a path may be.
fn word(bytes: &[u8]) -> Option<String> {
    let length = bytes.iter().take(4096).position(|byte| *byte == 0)?;
    std::str::from_utf8(bytes.get(..length)?).ok().map(str::to_owned)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_program_names_its_libraries_and_its_loader() {
        let named = names(Path::new("/bin/sh")).unwrap();
        assert!(named.libraries.iter().any(|library| library.starts_with("libc")), "{named:?}");
        assert!(named.loader.unwrap().contains("ld-"));
        // All of them are the system's.
        assert!(libraries(Path::new("/bin/sh")).is_empty());
    }

    proptest! {
        #[test]
        fn any_bytes_are_read(mut bytes in proptest::collection::vec(any::<u8>(), 0..2000), real in any::<bool>(), at in 0usize..2000) {
            if real {
                let mut program = std::fs::read("/bin/true").unwrap_or_default();
                for (place, byte) in bytes.iter().enumerate() {
                    if let Some(there) = program.get_mut(at + place * 7) { *there = *byte; }
                }
                bytes = program;
            }
            let _named = read(std::io::Cursor::new(bytes));
        }
    }
}
