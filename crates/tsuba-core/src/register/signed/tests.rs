//! Signatures that OpenSSH has made, over the content of an empty register.

use super::*;
use jiff::civil::date;

const CONTENT: &str = "tsuba-register/1\n";
const INES: &str = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIA2qVZrttOsUsefnr0kDRfN/qpg+uCtNhu8c3rAbsJLI";
const OMAR: &str = "ecdsa-sha2-nistp256 AAAAE2VjZHNhLXNoYTItbmlzdHAyNTYAAAAIbmlzdHAyNTYAAABBBCkPN/2pkm/4RqYUVe1em7JOnGXXQqZVXKkHivvoq4ziHy7rH4IOHRPBvxJEPmVt8SG5ulx2bLIc3m7zRaD5Aq8=";
const BY_INES: &str = "-----BEGIN SSH SIGNATURE-----\nU1NIU0lHAAAAAQAAADMAAAALc3NoLWVkMjU1MTkAAAAgDapVmu206xSx5+evSQNF83+qmD\n64K02G7xzesBuwksgAAAAOdHN1YmEtcmVnaXN0ZXIAAAAAAAAABnNoYTUxMgAAAFMAAAAL\nc3NoLWVkMjU1MTkAAABAK8WCvchXjGeq7gDRKnNZFpyhuejyy/v6qOqbL3FL7W8oCZyqUE\nucz3MOahNa6Bcn5QkyUQh36NLeyOnF79hqBQ==\n-----END SSH SIGNATURE-----\n";
const BY_OMAR: &str = "-----BEGIN SSH SIGNATURE-----\nU1NIU0lHAAAAAQAAAGgAAAATZWNkc2Etc2hhMi1uaXN0cDI1NgAAAAhuaXN0cDI1NgAAAE\nEEKQ83/amSb/hGphRV7V6bsk6cZddCplVcqQeK++irjOIfLusfgg4dE8G/EkQ+ZW3xIbm6\nXHZsshzebvNFoPkCrwAAAA50c3ViYS1yZWdpc3RlcgAAAAAAAAAGc2hhNTEyAAAAZAAAAB\nNlY2RzYS1zaGEyLW5pc3RwMjU2AAAASQAAACEAqGl6dD8p01bKmP9JDD3dFWXAzD4LcPJB\n8Ns/Cgh2Jy0AAAAge5a5u/iFUve0OZ/QaQ5pzKVmkAqrw6ZFHe4SYsonl8A=\n-----END SSH SIGNATURE-----\n";
const FOR_ANOTHER_PURPOSE: &str = "-----BEGIN SSH SIGNATURE-----\nU1NIU0lHAAAAAQAAADMAAAALc3NoLWVkMjU1MTkAAAAgDapVmu206xSx5+evSQNF83+qmD\n64K02G7xzesBuwksgAAAADZ2l0AAAAAAAAAAZzaGE1MTIAAABTAAAAC3NzaC1lZDI1NTE5\nAAAAQI4gP6VDuNUNBbqQ/E2lz4czIWhzm7aLb7dKe1k3tLK5xjF+1HLZv9FJeDmhpbGmmn\n5TnmiWk6AjU1GX+2jCDgM=\n-----END SSH SIGNATURE-----\n";

#[test]
fn a_signature_counts_only_from_a_signer_over_this_content() {
    let both = format!("# who may sign\nines {INES}\nomar namespaces=\"git,tsuba-register\" {OMAR} at work\n");
    let ines = format!("ines {INES}\n");
    let omar_later = format!("omar valid-after=\"20261201\" {OMAR}\n");
    let omar_over = format!("omar valid-before=\"20261124\",namespaces=\"tsuba-register\" {OMAR}\n");
    let omar_elsewhere = format!("omar namespaces=\"git\" {OMAR}\n");
    for (signers, content, signature, want) in [
        (&both, CONTENT, BY_INES, Ok("ines")),
        (&both, CONTENT, BY_OMAR, Ok("omar")),
        (&both, "tsuba-register/1\n{}\n", BY_INES, Err(NotSigned::Changed)),
        (&both, "tsuba-register/1\n{}\n", BY_OMAR, Err(NotSigned::Changed)),
        (&ines, CONTENT, BY_OMAR, Err(NotSigned::Unknown)),
        (&omar_elsewhere, CONTENT, BY_OMAR, Err(NotSigned::Unknown)),
        (&omar_later, CONTENT, BY_OMAR, Err(NotSigned::NotNow)),
        (&omar_over, CONTENT, BY_OMAR, Err(NotSigned::NotNow)),
        (&both, CONTENT, FOR_ANOTHER_PURPOSE, Err(NotSigned::OtherPurpose)),
        (&both, CONTENT, "signed, ines", Err(NotSigned::Unreadable)),
        (&both, CONTENT, "", Err(NotSigned::Unreadable)),
    ] {
        let signers = Signers::read(signers).unwrap();
        assert_eq!(signers.of(content, signature, date(2026, 11, 24)), want, "{content} {signature}");
    }
    assert_eq!(Signers::read(&omar_later).unwrap().of(CONTENT, BY_OMAR, date(2026, 12, 1)), Ok("omar"));
}

#[test]
fn every_mistake_in_the_signers_is_told() {
    for (line, why) in [
        ("ines".to_owned(), "write NAME"),
        ("ines ssh-ed25519 AAAA".to_owned(), "write NAME"),
        (format!("* {INES}"), "in full"),
        (format!("ines cert-authority {INES}"), "certificates"),
        (format!("ines verify-required {INES}"), "not understood"),
        (format!("ines valid-after=\"tomorrow\" {INES}"), "a day is written"),
        (format!("ines valid-before=\"20261399\" {INES}"), "a day is written"),
    ] {
        let errors = Signers::read(&format!("# signers\n\n{line}\n")).unwrap_err();
        assert_eq!(errors.len(), 1, "{line}");
        assert!(errors[0].line == 3 && errors[0].why.contains(why), "{line}: {}", errors[0]);
    }
}
