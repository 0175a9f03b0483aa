//! The index's tables, as the migrations make them.

diesel::table! {
    entries (scope, seq) {
        scope -> Text,
        seq -> BigInt,
        at_ms -> BigInt,
        kind -> Text,
        sentence -> Text,
        gauge -> Nullable<Text>,
    }
}

diesel::table! {
    chains (scope) {
        scope -> Text,
        seq -> BigInt,
        hash -> Text,
    }
}

diesel::table! {
    about (id) {
        id -> Integer,
        program -> Text,
    }
}
