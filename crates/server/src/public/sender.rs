//! Who asks: the other end of the connection, or whom a proxy that the operator trusts says it is.

use std::fmt;
use std::net::{IpAddr, Ipv6Addr};
use std::sync::Arc;

use anyhow::{Context, Result};
use axum::http::HeaderMap;
use ipnet::IpNet;

/// A sender, as far as limits go: an address, or the network of one of IPv6, of which everybody
/// has a whole one (RFC 4291, 2.5.4: 64 bits).
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
pub struct Sender(IpAddr);

impl Sender {
    /// The sender at an address.
    pub fn of(address: IpAddr) -> Sender {
        match address.to_canonical() {
            IpAddr::V6(address) => {
                let network = u128::from(address) & !u128::from(u64::MAX);
                Sender(Ipv6Addr::from(network).into())
            }
            address => Sender(address),
        }
    }
}

impl fmt::Debug for Sender {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Sender({})", self.0)
    }
}

/// The networks of proxies whose word on who asks is taken.
#[derive(Debug, Clone, Default)]
pub struct Trusted(Arc<[IpNet]>);

impl Trusted {
    /// Networks as the operator writes them: `10.0.0.0/8`, `2001:db8::/32`, `192.0.2.1`.
    pub fn read(texts: &[String]) -> Result<Trusted> {
        let network = |text: &String| {
            let text = text.trim();
            let single = text.parse::<IpAddr>().map(IpNet::from);
            text.parse().or(single).with_context(|| format!("“{text}” is not a network. Use a form such as 10.0.0.0/8."))
        };
        Ok(Trusted(texts.iter().map(network).collect::<Result<_>>()?))
    }

    /// Whether a proxy at an address is trusted.
    pub fn contains(&self, address: IpAddr) -> bool {
        self.0.iter().any(|network| network.contains(&address.to_canonical()))
    }

    /// Who asks over a connection. Each proxy adds whom it was asked by at the end of
    /// `X-Forwarded-For`: the last that no trusted one added is the sender.
    pub fn sender(&self, peer: IpAddr, headers: &HeaderMap) -> Sender {
        if !self.contains(peer) {
            return Sender::of(peer);
        }
        let lines: Vec<&str> = headers.get_all("x-forwarded-for").iter().filter_map(|line| line.to_str().ok()).collect();
        let named = lines.iter().flat_map(|line| line.split(',')).rev().map_while(|one| one.trim().parse::<IpAddr>().ok());
        let mut asks = peer;
        for one in named {
            asks = one;
            if !self.contains(one) {
                break;
            }
        }
        Sender::of(asks)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn asked(trusted: &[&str], peer: &str, lines: &[&str]) -> String {
        let trusted = Trusted::read(&trusted.iter().map(|text| (*text).to_owned()).collect::<Vec<_>>()).expect("read");
        let mut headers = HeaderMap::new();
        for line in lines {
            headers.append("x-forwarded-for", line.parse().expect("a header"));
        }
        format!("{:?}", trusted.sender(peer.parse().expect("an address"), &headers))
    }

    #[test]
    fn what_a_sender_writes_itself_counts_for_nothing() {
        assert_eq!(asked(&[], "198.51.100.7", &["203.0.113.9"]), "Sender(198.51.100.7)");
        assert_eq!(asked(&["10.0.0.0/8"], "10.1.1.1", &["1.1.1.1, 203.0.113.9"]), "Sender(203.0.113.9)");
        assert_eq!(asked(&["10.0.0.0/8"], "10.1.1.1", &["1.1.1.1", "203.0.113.9, 10.2.2.2"]), "Sender(203.0.113.9)");
        assert_eq!(asked(&["10.0.0.0/8"], "10.1.1.1", &["203.0.113.9, nonsense"]), "Sender(10.1.1.1)");
        assert_eq!(asked(&["10.0.0.0/8"], "10.1.1.1", &[]), "Sender(10.1.1.1)");
        assert_eq!(asked(&["10.0.0.1"], "::ffff:10.0.0.1", &["203.0.113.9"]), "Sender(203.0.113.9)");
    }

    #[test]
    fn a_network_of_ipv6_is_one_sender() {
        let of = |text: &str| Sender::of(text.parse().expect("an address"));
        assert_eq!(of("2001:db8:1:2:3:4:5:6"), of("2001:db8:1:2::1"));
        assert_ne!(of("2001:db8:1:3::1"), of("2001:db8:1:2::1"));
        assert_eq!(of("::ffff:192.0.2.1"), of("192.0.2.1"));
    }

    #[test]
    fn what_is_no_network_is_told() {
        let refused = Trusted::read(&["office".to_owned()]).expect_err("refused").to_string();
        assert_eq!(refused, "“office” is not a network. Use a form such as 10.0.0.0/8.");
    }
}
