//! What meters may be pointed at. Whoever runs the server decides, since whoever uses it could else look through it at machines and files
//! that are none of theirs.

use ipnet::IpNet;
use std::net::{IpAddr, SocketAddr};
use std::path::{Path, PathBuf};

/// Networks and folders of meters.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Allowed {
    /// Loopback and the private networks (RFC 1918; RFC 4193).
    is_local: bool,
    networks: Vec<IpNet>,
    /// Files of loggers lie below one of these.
    folders: Vec<PathBuf>,
}

impl Allowed {
    /// This machine and its local networks, and the files below `folder`.
    pub fn usual(folder: PathBuf) -> Self {
        Allowed { is_local: true, networks: Vec::new(), folders: vec![folder] }
    }

    /// "local, 203.0.113.0/24, 203.0.113.7, /srv/loggers": networks, addresses, and folders by their whole path.
    ///
    /// # Errors
    /// A sentence on the part that is none of these.
    pub fn parse(text: &str) -> Result<Self, String> {
        let mut allowed = Allowed::default();
        for part in text.split(',').map(str::trim).filter(|part| !part.is_empty()) {
            if part == "local" {
                allowed.is_local = true;
            } else if part.starts_with('/') {
                allowed.folders.push(PathBuf::from(part));
            } else {
                let network = part.parse::<IpNet>().ok().or_else(|| part.parse::<IpAddr>().ok().map(IpNet::from));
                let wrong =
                    || format!("\"{part}\" is not \"local\", a network such as 192.0.2.0/24, or the whole path of a folder");
                allowed.networks.push(network.ok_or_else(wrong)?);
            }
        }
        Ok(allowed)
    }

    fn allows(&self, address: IpAddr) -> bool {
        let address = address.to_canonical();
        // The addresses of one cable reach services that trust whoever is on it: never.
        let is_link_local = match address {
            IpAddr::V4(ip) => ip.is_link_local() || ip.is_unspecified() || ip.is_broadcast(),
            IpAddr::V6(ip) => ip.is_unicast_link_local() || ip.is_unspecified(),
        };
        let is_private = match address {
            IpAddr::V4(ip) => ip.is_private() || ip.is_loopback(),
            IpAddr::V6(ip) => ip.is_unique_local() || ip.is_loopback(),
        };
        !is_link_local && (self.is_local && is_private || self.networks.iter().any(|network| network.contains(&address)))
    }

    /// The addresses behind "host:port" that may be connected to.
    ///
    /// # Errors
    /// A sentence: no such name, or none of the allowed networks.
    pub async fn addresses(&self, address: &str) -> Result<Vec<SocketAddr>, String> {
        let host = address.rsplit_once(':').map_or(address, |(host, _)| host);
        let found = tokio::net::lookup_host(address).await.map_err(|_| format!("no machine is known by the name {host}"))?;
        let allowed: Vec<SocketAddr> = found.filter(|found| self.allows(found.ip())).collect();
        if allowed.is_empty() {
            return Err(format!("{host} is not on a network for meters; whoever runs the server allows it with --allow-meters"));
        }
        Ok(allowed)
    }

    /// The file itself, wherever links lead, if it lies below an allowed folder.
    ///
    /// # Errors
    /// A sentence: no such file below an allowed folder.
    pub async fn file(&self, path: &Path) -> Result<PathBuf, String> {
        let refused = || {
            let folders: Vec<String> = self.folders.iter().map(|folder| folder.display().to_string()).collect();
            let below = if folders.is_empty() { "no folder".to_owned() } else { folders.join(", ") };
            format!(
                "there is no file {} below {below}; whoever runs the server allows a folder with --allow-meters",
                path.display()
            )
        };
        let file = tokio::fs::canonicalize(path).await.map_err(|_| refused())?;
        for folder in &self.folders {
            if tokio::fs::canonicalize(folder).await.is_ok_and(|folder| file.starts_with(folder)) {
                let is_file = tokio::fs::metadata(&file).await.is_ok_and(|about| about.is_file());
                // A pipe or a device could keep whoever opens it for ever.
                return if is_file { Ok(file) } else { Err(format!("{} is no plain file", path.display())) };
            }
        }
        Err(refused())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn allows(allowed: &Allowed, address: &str) -> bool {
        allowed.allows(address.parse().unwrap())
    }

    #[test]
    fn the_local_network_by_default_and_never_the_cable_alone() {
        let usual = Allowed::usual("/srv/loggers".into());
        for local in ["127.0.0.1", "10.1.2.3", "172.16.0.1", "192.168.1.20", "::1", "fd00::1", "::ffff:192.168.1.20"] {
            assert!(allows(&usual, local), "{local}");
        }
        let everything = Allowed::parse("local, 0.0.0.0/0, ::/0").unwrap();
        for other in ["192.0.2.1", "172.32.0.1", "2001:db8::1", "::ffff:192.0.2.1"] {
            assert!(!allows(&usual, other) && allows(&everything, other), "{other}");
        }
        for never in ["169.254.169.254", "fe80::1", "0.0.0.0", "::", "::ffff:169.254.169.254"] {
            assert!(!allows(&usual, never) && !allows(&everything, never), "{never}");
        }
        let one = Allowed::parse("203.0.113.7").unwrap();
        assert!(allows(&one, "203.0.113.7") && !allows(&one, "203.0.113.8") && !allows(&one, "127.0.0.1"));
        assert!(Allowed::parse("local, meters").unwrap_err().contains("\"meters\""));
    }

    #[tokio::test]
    async fn names_that_lead_nowhere_and_elsewhere_are_told_apart() {
        let usual = Allowed::usual("/srv/loggers".into());
        assert_eq!(usual.addresses("127.0.0.1:5025").await.unwrap(), ["127.0.0.1:5025".parse().unwrap()]);
        assert!(
            usual.addresses("logger.invalid:5025").await.unwrap_err().contains("no machine is known by the name logger.invalid")
        );
        assert!(usual.addresses("169.254.169.254:80").await.unwrap_err().contains("--allow-meters"));
    }

    #[tokio::test]
    async fn files_lie_below_an_allowed_folder_wherever_links_lead() {
        let (inside, outside) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        let allowed = Allowed::parse(inside.path().to_str().unwrap()).unwrap();
        let (plain, secret, link) = (inside.path().join("a.csv"), outside.path().join("b.csv"), inside.path().join("link.csv"));
        std::fs::write(&plain, "voltage_v\n").unwrap();
        std::fs::write(&secret, "secret\n").unwrap();
        std::os::unix::fs::symlink(&secret, &link).unwrap();
        assert!(allowed.file(&plain).await.is_ok());
        let around = inside.path().join("..").join(outside.path().file_name().unwrap()).join("b.csv");
        for path in [&secret, &link, &around, &inside.path().join("none.csv"), &PathBuf::from("/etc/passwd")] {
            assert!(allowed.file(path).await.unwrap_err().contains("--allow-meters"), "{path:?}");
        }
        assert!(allowed.file(inside.path()).await.unwrap_err().contains("no plain file"));
    }
}
