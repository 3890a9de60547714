//! Places of which there are so many in total and so many for one sender.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use super::Sender;

/// Places. Clones share them.
#[derive(Debug, Clone)]
pub struct Places {
    total: usize,
    each: usize,
    taken: Arc<Mutex<Taken>>,
}

#[derive(Debug, Default)]
struct Taken {
    total: usize,
    by_sender: HashMap<Sender, usize>,
}

/// A place that is taken until this is dropped.
#[derive(Debug)]
pub struct Place {
    of: Places,
    sender: Option<Sender>,
}

impl Places {
    /// So many in total and so many for each sender.
    pub fn new((total, each): (usize, usize)) -> Places {
        Places { total, each, taken: Arc::default() }
    }

    fn taken(&self) -> MutexGuard<'_, Taken> {
        self.taken.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A place for a sender, where there is one.
    pub fn take(&self, sender: Sender) -> Option<Place> {
        let mut taken = self.taken();
        let own = taken.by_sender.get(&sender).copied().unwrap_or(0);
        if taken.total >= self.total || own >= self.each {
            return None;
        }
        taken.total += 1;
        taken.by_sender.insert(sender, own + 1);
        drop(taken);
        Some(Place { of: self.clone(), sender: Some(sender) })
    }

    /// A place for one who brings many senders.
    pub fn take_any(&self) -> Option<Place> {
        let mut taken = self.taken();
        if taken.total >= self.total {
            return None;
        }
        taken.total += 1;
        drop(taken);
        Some(Place { of: self.clone(), sender: None })
    }
}

impl Drop for Place {
    fn drop(&mut self) {
        let mut taken = self.of.taken();
        taken.total -= 1;
        let Some(sender) = self.sender else { return };
        match taken.by_sender.get_mut(&sender) {
            Some(own) if *own > 1 => *own -= 1,
            _ => drop(taken.by_sender.remove(&sender)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_place_is_free_again_once_it_is_left() {
        let places = Places::new((3, 2));
        let [ada, bo] = [[203, 0, 113, 1], [203, 0, 113, 2]].map(|address| Sender::of(address.into()));
        let held = [places.take(ada).expect("free"), places.take(ada).expect("free")];
        assert!(places.take(ada).is_none(), "no more for one");
        let other = places.take(bo).expect("free");
        assert!(places.take(bo).is_none() && places.take_any().is_none(), "no more in all");
        drop(held);
        assert!(places.take(ada).is_some());
        drop(other);
        assert!(places.taken().by_sender.is_empty(), "nobody is remembered");
        let proxies = [places.take_any(), places.take_any(), places.take_any()];
        assert!(proxies.iter().all(Option::is_some) && places.take_any().is_none());
    }
}
