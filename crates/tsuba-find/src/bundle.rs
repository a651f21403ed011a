//! Server bundles: zip archives with a manifest at their root. Only the manifest is taken out, within bounds; nothing is unpacked anywhere.

use std::fs::File;
use std::io::{self, Read, Seek};
use tsuba_core::read::Input;
use zip::ZipArchive;

/// How every zip archive with a file in it begins (APPNOTE 6.3.10, 4.3.7).
const MAGIC: &[u8] = b"PK\x03\x04";
/// A manifest of more bytes is not read, however small it is packed.
const MAX_MANIFEST_BYTES: u64 = 1 << 20;
/// An archive of more files is not looked at.
const FILES: usize = 100_000;

/// Does a file begin as an archive?
pub(crate) fn is_archive(file: &mut File) -> io::Result<bool> {
    let mut head = [0; 4];
    let is = file.read_exact(&mut head).is_ok() && head == *MAGIC;
    file.rewind()?;
    Ok(is)
}

/// What came of a bundle.
#[derive(Debug)]
pub(crate) enum Bundle {
    /// Its manifest, as a document inside of it.
    Manifest(Input),
    /// It is some other archive.
    Other,
    /// It cannot be read: why.
    Unread(&'static str),
}

/// Reads the manifest of a bundle.
pub(crate) fn read(path: &str, file: impl Read + Seek) -> Bundle {
    let Ok(mut archive) = ZipArchive::new(file) else { return Bundle::Unread("not a whole archive") };
    if archive.len() > FILES {
        return Bundle::Unread("an archive of more than 100,000 files");
    }
    if archive.index_for_name("manifest.json").is_none() {
        return Bundle::Other;
    }
    // Whoever unpacks it would write where its author wants.
    let leads_out = |name: &str| name.starts_with(['/', '\\']) || name.split(['/', '\\']).any(|part| part == "..");
    if archive.file_names().any(|name| name.map_or(true, |name| leads_out(&name))) {
        return Bundle::Unread("a bundle with paths that lead out of it: do not unpack it");
    }
    let Ok(manifest) = archive.by_name("manifest.json") else {
        return Bundle::Unread("its manifest cannot be unpacked");
    };
    let mut bytes = Vec::new();
    match manifest.take(MAX_MANIFEST_BYTES + 1).read_to_end(&mut bytes) {
        Ok(_) if bytes.len() as u64 > MAX_MANIFEST_BYTES => {
            Bundle::Unread("its manifest is larger than 1 MiB, not read")
        }
        Ok(_) => {
            let path = format!("{path}/manifest.json");
            Bundle::Manifest(Input { path, bytes, ..Input::default() })
        }
        Err(_) => Bundle::Unread("its manifest cannot be unpacked"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::{Cursor, Write as _};
    use zip::ZipWriter;
    use zip::write::SimpleFileOptions;

    fn archive(files: &[(&str, &[u8])]) -> Vec<u8> {
        let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
        for (name, content) in files {
            writer.start_file(*name, SimpleFileOptions::default()).unwrap();
            writer.write_all(content).unwrap();
        }
        writer.finish().unwrap().into_inner()
    }

    #[test]
    fn only_the_manifest_is_taken_out_and_nothing_hostile() {
        let bomb = vec![b' '; 8 << 20];
        let manifest = |bundle: Bundle| match bundle {
            Bundle::Manifest(input) => format!("{} {}", input.path, String::from_utf8_lossy(&input.bytes)),
            Bundle::Other => "other".to_owned(),
            Bundle::Unread(why) => why.to_owned(),
        };
        for (files, want) in [
            (vec![("manifest.json", &b"{}"[..]), ("server/index.js", b"x")], "t.mcpb/manifest.json {}"),
            (vec![("readme.txt", b"x")], "other"),
            (
                vec![("manifest.json", b"{}"), ("../../etc/cron.d/x", b"x")],
                "a bundle with paths that lead out of it: do not unpack it",
            ),
            (
                vec![("manifest.json", b"{}"), ("/etc/x", b"x")],
                "a bundle with paths that lead out of it: do not unpack it",
            ),
            (vec![("manifest.json", bomb.as_slice())], "its manifest is larger than 1 MiB, not read"),
        ] {
            assert_eq!(manifest(read("t.mcpb", Cursor::new(archive(&files)))), want);
        }
        let whole = archive(&[("manifest.json", b"{}")]);
        assert_eq!(manifest(read("t.mcpb", Cursor::new(whole[..20].to_vec()))), "not a whole archive");
    }
}
