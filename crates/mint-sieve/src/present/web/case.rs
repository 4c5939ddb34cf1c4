//! Images on a page that are decided on together.

use serde::Serialize;

/// Images that are dealt with together.
#[derive(Serialize)]
pub struct Case {
    /// A name of its own on the page.
    pub id: String,
    /// What they are.
    pub title: String,
    /// What it rests on, by name.
    pub evidence: Vec<(String, String)>,
    /// The numbers of its images on the page, with commas.
    pub images: String,
    /// How many these are.
    pub count: usize,
    /// How many there are beside these.
    pub more: usize,
    /// The image that the others are compared with.
    pub keep: Option<u32>,
    /// The group that these images are.
    pub group: Option<usize>,
    /// How each image goes with that one, in the order of `images`; empty where nothing is to be said.
    pub ties: Vec<String>,
}
