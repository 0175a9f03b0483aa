//! The index's tables, as the migrations make them.

diesel::table! {
    entries (scope, seq) {
        scope -> Text,
        seq -> BigInt,
        at_ms -> BigInt,
        kind -> Text,
        sentence -> Text,
    }
}

diesel::table! {
    units (id) {
        id -> Text,
        nickname -> Text,
        added_ms -> BigInt,
        seq -> BigInt,
        record -> Text,
    }
}
