//! What is kept ready in memory: by number or name, weighed in bytes. What was not used for long goes
//! first where there is too much of it.

use std::hash::Hash;

use quick_cache::sync::Cache as Quick;
use quick_cache::{Equivalent, Weighter};

/// How many bytes something takes in memory, about.
pub trait Weigh {
    /// About so many bytes.
    fn bytes(&self) -> usize;
}

#[derive(Debug, Clone)]
struct Bytes;

impl<K, T: Weigh> Weighter<K, T> for Bytes {
    fn weight(&self, _key: &K, value: &T) -> u64 {
        value.bytes().max(1) as u64
    }
}

/// Values by number or name.
#[allow(missing_debug_implementations)]
pub struct Cache<K, T>(Quick<K, T, Bytes>);

impl<K: Eq + Hash, T: Weigh + Clone> Cache<K, T> {
    /// A cache that holds so many bytes in all, about so many values.
    pub fn new(values: usize, bytes: usize) -> Cache<K, T> {
        Cache(Quick::with_weighter(values, bytes as u64, Bytes))
    }

    /// The value of a key.
    pub fn get<Q: Hash + Equivalent<K> + ?Sized>(&self, key: &Q) -> Option<T> {
        self.0.get(key)
    }

    /// Keeps a value.
    pub fn insert(&self, key: K, value: T) {
        self.0.insert(key, value);
    }

    /// Takes a value out.
    pub fn take(&self, key: &K) -> Option<T> {
        self.0.remove(key).map(|(_, value)| value)
    }

    /// Forgets all.
    pub fn clear(&self) {
        self.0.clear();
    }

    /// How many bytes it holds, about.
    pub fn bytes(&self) -> u64 {
        self.0.weight()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::Arc;

    #[derive(Debug, Clone)]
    struct Heavy(Arc<Vec<u8>>);
    impl Weigh for Heavy {
        fn bytes(&self) -> usize {
            self.0.len()
        }
    }

    #[test]
    fn it_holds_so_many_bytes_and_gives_back_what_is_taken_out() {
        let cache = Cache::new(10, 10_000);
        for number in 0..50 {
            cache.insert(number, Heavy(Arc::new(vec![0; 1_000])));
            assert!(cache.bytes() <= 10_000, "{}", cache.bytes());
        }
        assert!((0..50).filter(|number| cache.get(number).is_some()).count() >= 5);
        // What is larger than all of it is used without being kept.
        cache.insert(99, Heavy(Arc::new(vec![0; 20_000])));
        assert!(cache.get(&99).is_none() && cache.bytes() <= 10_000);
        // One that takes more than half of the room is kept beside small ones.
        cache.clear();
        cache.insert(1, Heavy(Arc::new(vec![0; 6_000])));
        (2..5).for_each(|number| cache.insert(number, Heavy(Arc::new(vec![0; 500]))));
        assert!((1..5).all(|number| cache.get(&number).is_some()));
        cache.insert(7, Heavy(Arc::new(vec![1])));
        let taken = cache.take(&7).expect("there");
        assert_eq!(Arc::strong_count(&taken.0), 1, "nobody else holds it");
        cache.clear();
        assert_eq!(cache.bytes(), 0);
    }
}
