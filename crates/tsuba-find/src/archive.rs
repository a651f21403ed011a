//! Archives: server bundles, packages of registries, saved images, and what else is packed. What may be a setup is taken out of them in memory,
//! within bounds; nothing is unpacked anywhere. An archive in an archive is opened once: a layer of an image.

use crate::candidate::{Name, OPEN_LIMIT, Prefilter, by_name};
use crate::layers::{Layers, MAX_LIST_BYTES};
use crate::walk::is_left_out;
use bzip2::read::MultiBzDecoder;
use flate2::read::MultiGzDecoder;
use lzma_rust2::XzReader;
use ruzstd::decoding::StreamingDecoder;
use std::collections::BTreeSet;
use std::fs::File;
use std::io::{self, Cursor, Read, Seek};
use tsuba_core::read::{Facts, Input, MAX_BYTES};
use zip::ZipArchive;

/// What stands between an archive's path and that of a file in it.
const INSIDE: &str = "!/";

/// An archive of more files is not looked through to its end.
const MAX_FILES: usize = 200_000;
/// So many bytes are unpacked of one archive at most, whatever is done with them.
const MAX_UNPACKED: u64 = 1 << 30;
/// Nor more than so many times its own size, where that is more than a little: what is made to grow without end is many small files.
const MAX_RATIO: u64 = 200;
const MIN_UNPACKED: u64 = 64 << 20;
/// A name in an archive has at most so many bytes.
const MAX_NAME: u64 = 64 << 10;
/// A zip archive in an archive has to be held whole; of more bytes it is not opened.
const MAX_NESTED: u64 = 64 << 20;
/// What packs an xz file says how much memory (KiB) taking it out needs: of more it is not opened. The program's own highest step needs 65 MiB.
const MAX_XZ_KIB: u32 = 128 << 10;
/// So many files that matter only beside a setup are kept of one archive, and of each so many bytes.
const MAX_SIDECARS: usize = 1000;
const MAX_SIDECAR_BYTES: u64 = 1 << 20;

/// How an archive is packed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    /// A zip archive (APPNOTE 6.3.10).
    Zip,
    /// A tape archive (POSIX.1-2024, pax).
    Tar,
    /// Packed by deflate (RFC 1952).
    Gzip,
    /// Packed by Zstandard (RFC 8878).
    Zstd,
    /// Packed by LZMA2 (the .xz file format, 1.2.1).
    Xz,
    /// Packed by bzip2.
    Bzip2,
    /// One that is not opened: its name.
    Closed(&'static str),
}

/// Bytes by which every kind is known.
const HEAD: usize = 512;

/// The kind by the first bytes.
fn kind_of(head: &[u8]) -> Option<Kind> {
    match head {
        [b'P', b'K', 3, 4, ..] => Some(Kind::Zip),
        [0x1F, 0x8B, 8, ..] => Some(Kind::Gzip),
        [0x28, 0xB5, 0x2F, 0xFD, ..] => Some(Kind::Zstd),
        [0xFD, b'7', b'z', b'X', b'Z', 0, ..] => Some(Kind::Xz),
        [b'B', b'Z', b'h', b'1'..=b'9', 0x31, 0x41, 0x59, 0x26, 0x53, 0x59, ..] => Some(Kind::Bzip2),
        [b'7', b'z', 0xBC, 0xAF, 0x27, 0x1C, ..] => Some(Kind::Closed(SEVEN)),
        [b'R', b'a', b'r', b'!', 0x1A, 7, ..] => Some(Kind::Closed(RAR)),
        _ => (head.get(257..262) == Some(b"ustar")).then_some(Kind::Tar),
    }
}

/// The kind of a file that may be an archive.
pub(crate) fn kind(file: &mut File) -> io::Result<Option<Kind>> {
    let head = head(file)?;
    file.rewind()?;
    Ok(kind_of(&head))
}

fn head(mut reader: &mut (impl Read + ?Sized)) -> io::Result<Vec<u8>> {
    let mut head = Vec::with_capacity(HEAD);
    (&mut reader).take(HEAD as u64).read_to_end(&mut head)?;
    Ok(head)
}

/// Hands every file of an archive that may be a setup to `visit`, with those that matter beside one.
///
/// # Errors
/// Why the archive was not read, or not to its end. What was handed over until then stays so.
pub(crate) fn read(
    path: &str,
    file: File,
    kind: Kind,
    everything: bool,
    prefilter: &Prefilter,
    visit: &dyn Fn(Input),
) -> Result<(), &'static str> {
    let size = file.metadata().map_or(0, |facts| facts.len());
    let mut reading = Reading {
        prefilter,
        visit,
        everything,
        files: 0,
        left: MAX_UNPACKED.min(MIN_UNPACKED.max(size.saturating_mul(MAX_RATIO))),
        folders: BTreeSet::new(),
        sidecars: Vec::new(),
        layers: Layers::default(),
        skipped: false,
        closed: false,
    };
    let result = match kind {
        Kind::Zip => reading.zip(path, file, 0),
        Kind::Closed(why) => Err(why),
        Kind::Tar | Kind::Gzip | Kind::Zstd | Kind::Xz | Kind::Bzip2 => {
            reading.stream(path, &mut io::BufReader::new(file), kind, 0)
        }
    };
    reading.beside();
    core::mem::take(&mut reading.layers).release().for_each(visit);
    match result {
        Ok(()) if reading.skipped => Err("holds a zip archive of more than 64 MiB, which was not read"),
        Ok(()) if reading.closed => Err("holds a 7z or RAR archive, which was not read"),
        result => result,
    }
}

struct Reading<'r> {
    prefilter: &'r Prefilter,
    visit: &'r dyn Fn(Input),
    everything: bool,
    files: usize,
    left: u64,
    /// The folders in which something was found.
    folders: BTreeSet<String>,
    sidecars: Vec<(String, String, Input)>,
    /// What it holds as layers of an image.
    layers: Layers,
    /// Was an archive in it too large?
    skipped: bool,
    /// Is there one of a kind that is not opened?
    closed: bool,
}

const TOO_MANY: &str = "an archive of more than 200,000 files; not read to the end";
const TOO_LARGE: &str = "an archive that unpacks to more than 1 GiB, or 200 times its size; not read to the end";
const CUT: &str = "not a whole archive";
const TOO_MUCH: &str = "an archive that needs more than 128 MiB of memory to be unpacked; not read";
const SEVEN: &str = "a 7z archive; not read";
const RAR: &str = "a RAR archive; not read";

impl Reading<'_> {
    fn zip(&mut self, path: &str, file: impl Read + Seek, depth: usize) -> Result<(), &'static str> {
        let mut archive = ZipArchive::new(file).map_err(|_| CUT)?;
        // Whoever installs a bundle has it unpacked where its author wants.
        let leads_out = |name: &str| name.starts_with(['/', '\\']) || name.split(['/', '\\']).any(|part| part == "..");
        let bundle = archive.index_for_name("manifest.json").is_some();
        if bundle && archive.file_names().any(|name| name.map_or(true, |name| leads_out(&name))) {
            return Err("a bundle with paths that lead out of it: do not unpack it");
        }
        let mut locked = false;
        for index in 0..archive.len() {
            self.count()?;
            let (name, is_file) = match archive.by_index_raw(index) {
                Ok(entry) if entry.encrypted() => {
                    locked = true;
                    continue;
                }
                Ok(entry) => (entry.name().map(|name| name.into_owned()).unwrap_or_default(), entry.is_file()),
                Err(_) => return Err(CUT),
            };
            if !is_file || !self.is_wanted(&name, depth) {
                continue;
            }
            let mut entry = archive.by_index(index).map_err(|_| "an archive packed in a way that is not known")?;
            self.file(path, &name, &mut entry, depth)?;
        }
        if locked { Err("an archive with a password; not read") } else { Ok(()) }
    }

    fn tar(&mut self, path: &str, reader: &mut dyn Read, depth: usize) -> Result<(), &'static str> {
        let mut archive = tar::Archive::new(reader);
        // Long names are read here, within a bound: the library would hold them whole.
        let mut long = None;
        for entry in archive.entries().map_err(|_| CUT)?.raw(true) {
            self.count()?;
            let mut entry = entry.map_err(|_| CUT)?;
            let size = entry.header().entry_size().unwrap_or(u64::MAX);
            if size > self.left {
                return Err(TOO_LARGE);
            }
            self.left -= size;
            let kind = entry.header().entry_type();
            if kind.is_gnu_longname() || kind.is_pax_local_extensions() {
                long = long_name(&mut entry, kind.is_gnu_longname()).or(long);
                continue;
            }
            let name = long.take().unwrap_or_else(|| String::from_utf8_lossy(&entry.path_bytes()).into_owned());
            let name = name.trim_start_matches("./");
            if depth > 0 && (Layers::removes(name) || by_name(last(name)) != Name::Other) {
                self.layers.note(path, name);
            }
            if kind.is_file() && self.is_wanted(name, depth) {
                self.file(path, name, &mut entry, depth)?;
            }
        }
        Ok(())
    }

    /// An archive that can be read from its beginning to its end.
    fn stream(&mut self, path: &str, reader: &mut dyn Read, kind: Kind, depth: usize) -> Result<(), &'static str> {
        match kind {
            Kind::Zip => Ok(()),
            Kind::Closed(_) => {
                self.closed = true;
                Ok(())
            }
            Kind::Xz => {
                let mut decoder = XzReader::new_mem_limit(reader, true, MAX_XZ_KIB);
                self.packed(path, &mut decoder, depth)
            }
            Kind::Bzip2 => self.packed(path, &mut MultiBzDecoder::new(reader), depth),
            Kind::Tar => self.tar(path, reader, depth),
            Kind::Gzip => self.packed(path, &mut MultiGzDecoder::new(io::BufReader::new(reader)), depth),
            Kind::Zstd => {
                let mut decoder = StreamingDecoder::new(reader).map_err(|_| CUT)?;
                self.packed(path, &mut decoder, depth)
            }
        }
    }

    /// What is packed by itself: an archive, or one file whose name is that without the ending.
    fn packed(&mut self, path: &str, reader: &mut dyn Read, depth: usize) -> Result<(), &'static str> {
        let why = |error: io::Error| if error.kind() == io::ErrorKind::OutOfMemory { TOO_MUCH } else { CUT };
        let head = head(reader).map_err(why)?;
        let is_tar = kind_of(&head) == Some(Kind::Tar);
        let mut whole = Cursor::new(head).chain(reader);
        if is_tar {
            return self.tar(path, &mut whole, depth);
        }
        let own = last(path);
        let name = own.rsplit_once('.').map_or(own, |(name, _)| name).to_owned();
        if self.is_wanted(&name, 1) { self.file(path, &name, &mut whole, 1) } else { Ok(()) }
    }

    fn count(&mut self) -> Result<(), &'static str> {
        self.files += 1;
        if self.files > MAX_FILES { Err(TOO_MANY) } else { Ok(()) }
    }

    /// May a file of this path be a setup, matter beside one, or be an archive itself?
    fn is_wanted(&self, name: &str, depth: usize) -> bool {
        let own = last(name);
        let left_out = !self.everything && name.split(['/', '\\']).rev().skip(1).any(is_left_out);
        !left_out
            && match by_name(own) {
                Name::Other => false,
                Name::Archive | Name::Bundle => depth == 0,
                _ => true,
            }
    }

    fn file(&mut self, path: &str, inner: &str, entry: &mut dyn Read, depth: usize) -> Result<(), &'static str> {
        let name = by_name(last(inner));
        // A name that leads out of the archive is none of a file beside it.
        let parts = inner.split(['/', '\\']).filter(|part| !matches!(*part, "" | "."));
        let parts: Vec<&str> = parts.map(|part| if part == ".." { "__" } else { part }).collect();
        let whole = format!("{path}{INSIDE}{}", parts.join("/"));
        let head = head(entry).map_err(|_| CUT)?;
        let packed = kind_of(&head).filter(|_| depth == 0 && matches!(name, Name::Archive | Name::Bundle | Name::Open));
        if let Some(kind) = packed.filter(|kind| *kind != Kind::Zip) {
            return self.stream(&whole, &mut Cursor::new(head).chain(entry), kind, depth + 1);
        }
        let limit = match name {
            _ if packed.is_some() => MAX_NESTED,
            Name::Open | Name::Prose | Name::Guide | Name::Script | Name::Shell | Name::Token => OPEN_LIMIT,
            Name::Sidecar => MAX_SIDECAR_BYTES,
            Name::Archive | Name::Bundle | Name::Other => return Ok(()),
            Name::Notation | Name::Table => MAX_BYTES as u64,
        };
        let mut bytes = head;
        let rest = limit.min(self.left).saturating_sub(bytes.len() as u64) + 1;
        entry.take(rest).read_to_end(&mut bytes).map_err(|_| CUT)?;
        let length = bytes.len() as u64;
        self.left = self.left.saturating_sub(length);
        if self.left == 0 {
            return Err(TOO_LARGE);
        }
        if length > limit {
            // The rest of the archive is read all the same.
            self.skipped |= packed.is_some();
            return Ok(());
        }
        if packed.is_some() {
            return self.zip(&whole, Cursor::new(bytes), depth + 1);
        }
        // What says which layers an image has.
        let lists = depth == 0 && bytes.len() <= MAX_LIST_BYTES && matches!(bytes.first(), Some(b'[' | b'{'));
        if lists && (inner == "manifest.json" || inner.starts_with("blobs/")) {
            self.layers.order(path, &bytes);
        }
        let facts = Facts { packed: true, ..Facts::default() };
        let input = Input { path: whole, bytes, facts };
        if name == Name::Sidecar {
            if self.sidecars.len() < MAX_SIDECARS {
                self.sidecars.push((path.to_owned(), inner.to_owned(), input));
            }
        } else if self.prefilter.passes(&input.bytes, name) {
            self.folders.insert(folder(&input.path).to_owned());
            self.hand(path, inner, input, depth);
        }
        Ok(())
    }

    /// Hands a file over: at once, or where it lies in what may be a layer of an image, when all layers are known.
    fn hand(&mut self, path: &str, inner: &str, input: Input, depth: usize) {
        let input = if depth > 0 { self.layers.hold(path, inner, input) } else { Some(input) };
        input.into_iter().for_each(self.visit);
    }

    /// Dotenv and key files of the folders in which something was found.
    fn beside(&mut self) {
        for (path, inner, input) in core::mem::take(&mut self.sidecars) {
            if self.folders.contains(folder(&input.path)) {
                // What is marked as of a layer is held like the rest of it.
                let depth = usize::from(path.contains(INSIDE));
                self.hand(&path, &inner, input, depth);
            }
        }
    }
}

/// The name that an entry has for the next one: in its whole (GNU), or as one of its records (pax).
fn long_name(entry: &mut impl Read, gnu: bool) -> Option<String> {
    let mut bytes = Vec::new();
    entry.take(MAX_NAME).read_to_end(&mut bytes).ok()?;
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).trim_end_matches('\0').to_owned();
    if gnu {
        return Some(text(&bytes));
    }
    let records = tar::PaxExtensions::new(&bytes);
    let path = records.flatten().find(|record| record.key_bytes() == b"path")?;
    Some(text(path.value_bytes()))
}

/// The archive that a file is packed in, and where in that: what stands before one of the marks is a file.
pub fn packed_in(file: &str) -> Option<(&str, &str)> {
    let mut cuts =
        file.match_indices(INSIDE).filter_map(|(at, mark)| Some((file.get(..at)?, file.get(at + mark.len()..)?)));
    cuts.find(|(outer, _)| std::path::Path::new(outer).is_file())
}

/// The last part of a path.
fn last(path: &str) -> &str {
    path.rsplit(['/', '\\']).next().unwrap_or(path)
}

fn folder(path: &str) -> &str {
    path.rsplit_once('/').map_or("", |(folder, _)| folder)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Write as _;
    use std::sync::Mutex;
    use zip::ZipWriter;
    use zip::write::SimpleFileOptions;

    const SETUP: &[u8] = b"{\"mcpServers\": {}}";

    fn zipped(files: &[(&str, &[u8])]) -> Vec<u8> {
        let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
        for (name, content) in files {
            writer.start_file(*name, SimpleFileOptions::default()).unwrap();
            writer.write_all(content).unwrap();
        }
        writer.finish().unwrap().into_inner()
    }

    fn taped(files: &[(&str, &[u8])]) -> Vec<u8> {
        let mut builder = tar::Builder::new(Vec::new());
        for (name, content) in files {
            let mut header = tar::Header::new_ustar();
            header.set_size(content.len() as u64);
            header.set_path(name).unwrap();
            header.set_cksum();
            builder.append(&header, *content).unwrap();
        }
        builder.into_inner().unwrap()
    }

    fn gzipped(bytes: &[u8]) -> Vec<u8> {
        let mut writer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
        writer.write_all(bytes).unwrap();
        writer.finish().unwrap()
    }

    fn xz(bytes: &[u8]) -> Vec<u8> {
        let options = lzma_rust2::XzOptions::with_preset(6);
        let mut writer = lzma_rust2::XzWriter::new(Vec::new(), options).unwrap();
        writer.write_all(bytes).unwrap();
        writer.finish().unwrap()
    }

    fn bzipped(bytes: &[u8]) -> Vec<u8> {
        let mut writer = bzip2::write::BzEncoder::new(Vec::new(), bzip2::Compression::best());
        writer.write_all(bytes).unwrap();
        writer.finish().unwrap()
    }

    /// What is found in an archive of this name, and why it was not read.
    fn found(name: &str, bytes: &[u8]) -> Vec<String> {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join(name);
        std::fs::write(&path, bytes).unwrap();
        let mut file = File::open(&path).unwrap();
        let seen = Mutex::new(Vec::new());
        let visit = |input: Input| seen.lock().unwrap().push(input.path);
        let prefilter = Prefilter::new().unwrap();
        let Some(kind) = kind(&mut file).unwrap() else { return vec!["none".to_owned()] };
        let result = read(name, file, kind, false, &prefilter, &visit);
        let mut out = seen.into_inner().unwrap();
        out.extend(result.err().map(str::to_owned));
        out
    }

    #[test]
    fn setups_are_found_in_archives_of_every_kind() {
        let files: &[(&str, &[u8])] = &[
            ("a/mcp.json", SETUP),
            ("a/.env", b"TOKEN=x"),
            ("b/.env", b"TOKEN=x"),
            ("a/x.png", b"x"),
            ("node_modules/y/mcp.json", SETUP),
            ("readme.md", b"nothing"),
        ];
        let want = |name: &str| vec![format!("{name}!/a/mcp.json"), format!("{name}!/a/.env")];
        assert_eq!(found("x.zip", &zipped(files)), want("x.zip"));
        assert_eq!(found("x.tar", &taped(files)), want("x.tar"));
        assert_eq!(found("x.tgz", &gzipped(&taped(files))), want("x.tgz"));
        let packed = ruzstd::encoding::compress_to_vec(&*taped(files), ruzstd::encoding::CompressionLevel::Fastest);
        assert_eq!(found("x.tar.zst", &packed), want("x.tar.zst"));
        assert_eq!(found("x.tar.xz", &xz(&taped(files))), want("x.tar.xz"));
        assert_eq!(found("x.txz", &xz(&taped(files))), want("x.txz"));
        assert_eq!(found("x.tar.bz2", &bzipped(&taped(files))), want("x.tar.bz2"));
        assert_eq!(found("mcp.json.xz", &xz(SETUP)), ["mcp.json.xz!/mcp.json"]);
        let deep = format!("{}/mcp.json", "a".repeat(180));
        let mut builder = tar::Builder::new(Vec::new());
        let mut header = tar::Header::new_gnu();
        header.set_size(SETUP.len() as u64);
        builder.append_data(&mut header, &deep, SETUP).unwrap();
        assert_eq!(found("x.tar", &builder.into_inner().unwrap()), [format!("x.tar!/{deep}")]);
        assert_eq!(found("mcp.json.gz", &gzipped(SETUP)), ["mcp.json.gz!/mcp.json"]);
        // A saved image: its layers are archives themselves, and nothing deeper is opened.
        let layer = gzipped(&taped(&[("etc/mcp.json", SETUP), ("opt/x.zip", &zipped(files))]));
        let image = taped(&[("manifest.json", b"[]"), ("blobs/sha256/0a", &layer), ("b/layer.tar", &taped(files))]);
        assert_eq!(
            found("image.tar", &image),
            [
                "image.tar!/blobs/sha256/0a!/etc/mcp.json",
                "image.tar!/b/layer.tar!/a/mcp.json",
                "image.tar!/b/layer.tar!/a/.env"
            ]
        );
    }

    #[test]
    fn what_a_later_layer_of_an_image_removes_is_handed_over_as_that() {
        let low = taped(&[("etc/tide/mcp.json", SETUP), ("etc/tide/.env", b"TOKEN=x"), ("etc/quay/mcp.json", SETUP)]);
        let high = gzipped(&taped(&[("etc/.wh.tide", b"")]));
        let order = br#"[{"Config": "c", "Layers": ["low/layer.tar", "high/layer.tar"]}]"#;
        // In whatever order they are packed.
        for image in [
            taped(&[("low/layer.tar", &low), ("high/layer.tar", &high), ("manifest.json", order)]),
            taped(&[("manifest.json", order), ("high/layer.tar", &high), ("low/layer.tar", &low)]),
        ] {
            let dir = tempfile::tempdir().unwrap();
            let path = dir.path().join("i.tar");
            std::fs::write(&path, image).unwrap();
            let seen = Mutex::new(Vec::new());
            let visit = |input: Input| seen.lock().unwrap().push((input.path, input.facts.superseded));
            let file = File::open(&path).unwrap();
            read("i.tar", file, Kind::Tar, false, &Prefilter::new().unwrap(), &visit).unwrap();
            let place = |path: &str| format!("i.tar!/low/layer.tar!/etc/{path}");
            let want = [(place("tide/mcp.json"), true), (place("quay/mcp.json"), false), (place("tide/.env"), true)];
            assert_eq!(seen.into_inner().unwrap(), want);
        }
    }

    #[test]
    fn what_is_not_read_is_told_and_hostile_ones_end() {
        let whole = zipped(&[("mcp.json", SETUP)]);
        assert_eq!(found("x.zip", &whole[..20]), [CUT]);
        for packed in [xz(&taped(&[("mcp.json", SETUP)])), bzipped(&taped(&[("mcp.json", SETUP)]))] {
            assert_eq!(found("x.tar.xz", &packed[..packed.len() / 2]), [CUT]);
        }
        // How much memory is needed, its block says.
        let mut greedy = lzma_rust2::XzOptions::with_preset(0);
        greedy.lzma_options.dict_size = 192 << 20;
        let mut writer = lzma_rust2::XzWriter::new(Vec::new(), greedy).unwrap();
        writer.write_all(SETUP).unwrap();
        assert_eq!(found("mcp.json.xz", &writer.finish().unwrap()), [TOO_MUCH]);
        // A bomb: 48 MiB of nothing in a few hundred bytes.
        let bomb = bzipped(&vec![b' '; 48 << 20]);
        assert!(bomb.len() < 4096);
        assert_eq!(found("mcp.json.bz2", &bomb), Vec::<String>::new());
        assert_eq!(found("x.7z", b"7z\xBC\xAF\x27\x1C\0\x04"), [SEVEN]);
        assert_eq!(found("x.rar", b"Rar!\x1A\x07\x01\0"), [RAR]);
        let holds = taped(&[("mcp.json", SETUP), ("x.7z", b"7z\xBC\xAF\x27\x1C\0\x04")]);
        assert_eq!(found("x.tar", &holds), ["x.tar!/mcp.json", "holds a 7z or RAR archive, which was not read"]);
        let whole = gzipped(&taped(&[("mcp.json", SETUP), ("b.json", SETUP)]));
        assert!(found("x.tgz", &whole[..whole.len() / 2]).contains(&CUT.to_owned()));
        for name in ["../../etc/cron.d/x", "/etc/x"] {
            let bundle = zipped(&[("manifest.json", b"{}"), (name, b"x")]);
            assert_eq!(found("t.mcpb", &bundle), ["a bundle with paths that lead out of it: do not unpack it"]);
        }
        // A long run of blanks packs to nothing: a document of more than its bound is left out, and the next one is read.
        let bomb = vec![b' '; 40 << 20];
        assert_eq!(found("x.zip", &zipped(&[("a.json", &bomb), ("mcp.json", SETUP)])), ["x.zip!/mcp.json"]);
        assert_eq!(found("x.txt", b"text"), ["none"]);
        // What leads out of an archive is called by no name of a file beside it.
        assert_eq!(found("x.zip", &zipped(&[("../a/../mcp.json", SETUP)])), ["x.zip!/__/a/__/mcp.json"]);
        // A name of a gigabyte is not held.
        let mut builder = tar::Builder::new(Vec::new());
        let mut header = tar::Header::new_gnu();
        header.set_size(1 << 30);
        header.set_entry_type(tar::EntryType::GNULongName);
        header.set_path("././@LongLink").unwrap();
        header.set_cksum();
        builder.append(&header, io::repeat(b'a').take(1 << 20)).unwrap();
        assert_eq!(found("x.tar", &builder.into_inner().unwrap()), [TOO_LARGE]);
    }
}
